"""The whole put together: what each command asks for, without a screen."""

from __future__ import annotations

import time
from collections.abc import Iterable, Mapping
from pathlib import Path
from typing import TYPE_CHECKING, Any

import msgspec

from zesty_anchor.changes.change import Bench, Change, Stage
from zesty_anchor.changes.kinds import KINDS
from zesty_anchor.changes.retire_lines import undecided
from zesty_anchor.engine.compare import compare
from zesty_anchor.engine.journal import Journal, alone
from zesty_anchor.engine.outcome import ChangeReport, Outcome, Preview, TakenBack, reports, waits
from zesty_anchor.feeds.supply import Supply, supply_for
from zesty_anchor.manifest.model import Manifest, Recipe
from zesty_anchor.manifest.position import line_of
from zesty_anchor.manifest.read import find, read_manifest
from zesty_anchor.manifest.want import Want, nearest
from zesty_anchor.manifest.wanted import Artefact, Wanted, WantedVersion, put_together
from zesty_anchor.problem import Problem, UsageProblem
from zesty_anchor.recipes import recipe_for
from zesty_anchor.reporter import Reporter
from zesty_anchor.survey.machine import Machine, generated_file, shells_to_use, survey
from zesty_anchor.system.locations import Locations, locate

if TYPE_CHECKING:
    from zesty_anchor.feeds.open import Feeds
    from zesty_anchor.feeds.release import Release
    from zesty_anchor.proof.result import Proof
    from zesty_anchor.survey.findings import Findings


class NotProvisioned(Problem):
    """A check was asked of what is not there yet."""

    code = 4


class Listing(msgspec.Struct, frozen=True):
    """One runtime's versions. ``in_effect`` is the default version, and what decided it."""

    runtime: str
    in_effect: dict[str, str] | None
    installed: tuple[str, ...]
    obtainable: tuple[Any, ...]


class Workstation:
    """One home, one environment, and (where a command needs it) one manifest."""

    def __init__(self, environ: Mapping[str, str], reporter: Reporter, *, jobs: int = 4) -> None:
        self._environ = environ
        self._reporter = reporter
        self._jobs = jobs
        self.locations: Locations = locate(environ)
        self.manifest = Manifest()
        self.file = Path()
        self._feeds: Feeds | None = None
        self._web: Any = None

    def load(self, given: Path | None, folder: Path) -> None:
        """Find and read the manifest. Raises ``UsageProblem``."""
        self.file = find(given, folder, self.locations.config).absolute()
        self.manifest = read_manifest(self.file)

    def machine(self) -> Machine:
        """The machine as it is now."""
        return survey(self.locations, self._environ)

    def recipe(self, runtime: str) -> Recipe:
        """A runtime's recipe."""
        return recipe_for(runtime, self.manifest, self.locations.recipes, self.file)

    # -- reading ---------------------------------------------------------------------------------------

    def look(self) -> Findings:
        """The survey, with the commands of the manifest's runtimes."""
        from zesty_anchor.survey.look import look

        commands = [c for name in self.manifest.runtimes for c in self.recipe(name).commands]
        return look(self.machine(), commands, self.locations.shown(self.file) if self.manifest.runtimes else "")

    def preview(self) -> Preview:
        """What a provisioning would change."""
        machine = self.machine()
        wanted = self._wanted(machine, self._resolutions())
        changes = compare(KINDS, wanted, machine)
        return Preview(reports(changes), self._notices(wanted, machine))

    def verify(self) -> Proof:
        """Ask fresh shells. Raises ``NotProvisioned`` where a version is missing from the shelf."""
        from zesty_anchor.proof.prove import prove

        machine = self.machine()
        wanted = self._wanted(machine, self._resolutions(), obtainable=False)
        return prove(wanted, machine, self._jobs)

    def listings(self) -> list[Listing]:
        """Each runtime of the manifest, and what is on the shelf. No feed is asked."""
        machine, known = self.machine(), self._resolutions()
        return [self._listing(name, machine, known, ()) for name in self.manifest.runtimes]

    def listing(self, runtime: str) -> Listing:
        """One runtime, with the versions that its feed offers, newest first."""
        from zesty_anchor.manifest.version import Version

        if runtime not in self.manifest.runtimes:
            import difflib

            close = difflib.get_close_matches(runtime, self.manifest.runtimes, 1)
            raise UsageProblem(
                f"the manifest has no runtime {runtime!r}",
                where=str(self.file),
                advice=f"did you mean {close[0]!r}?" if close else f"add [runtimes.{runtime}] with want = …",
            )
        machine = self.machine()
        offered = sorted(self._releases(runtime, machine), key=lambda r: Version(r.version), reverse=True)
        return self._listing(runtime, machine, self._resolutions(), offered)

    def _listing(
        self,
        name: str,
        machine: Machine,
        known: Mapping[tuple[str, str, str], str],
        offered: Iterable[Release],
    ) -> Listing:
        runtime = self.manifest.runtimes[name]
        supply = supply_for(name, self.manifest, self.recipe(name), machine.host.platform)
        version = self._standing(name, runtime.want, supply, machine, known)
        number = line_of(self.file.read_text("utf-8"), ("runtimes", name, "want"))
        line = f"{self.locations.shown(self.file)}:{number} (want {runtime.want})"
        return Listing(
            runtime=name,
            in_effect={"version": version, "scope": "default", "decided_by": line} if version else None,
            installed=tuple(v for r, v in machine.shelf if r == name),
            obtainable=tuple({"version": r.version, "channels": r.channels, "date": r.date} for r in offered),
        )

    # -- changing --------------------------------------------------------------------------------------

    def provision(self) -> Outcome:
        """Make the machine as the manifest says, and prove it.

        Raises ``Problem`` where nothing could be begun; what fails later is told in the outcome.
        """
        began = time.monotonic()
        known, cut_off = self._past()
        if not cut_off:
            machine = self.machine()
            wanted = self._wanted(machine, known)
            if not compare(KINDS, wanted, machine):
                return Outcome((), notices=self._notices(wanted, machine), seconds=time.monotonic() - began)
        with alone(self.locations.state):
            journal = Journal(self.locations.journal)
            try:
                outcome = self._provision(journal)
            finally:
                journal.close()
        return msgspec.structs.replace(outcome, seconds=time.monotonic() - began)

    def _provision(self, journal: Journal) -> Outcome:
        from zesty_anchor.engine.undo import attic_of, recover

        recovered = recover(KINDS, journal, self.locations)
        for change in recovered.changes:
            self._reporter.said(f"an earlier run was cut off: took back {change.action} {change.subject}")
        machine = self.machine()
        wanted = self._wanted(machine, journal.resolutions())
        changes = compare(KINDS, wanted, machine)
        if not changes:
            return Outcome((), notices=recovered.notices)
        run = journal.begin_run(self.file)
        attic = attic_of(run, self.locations)
        attic.mkdir(parents=True, mode=0o700)
        try:
            outcome = self._carry_out(journal, run, attic, wanted, machine, changes)
        finally:
            journal.end_run(run)
            if not any(attic.iterdir()):
                attic.rmdir()
        return msgspec.structs.replace(outcome, notices=recovered.notices + outcome.notices)

    def _carry_out(
        self, journal: Journal, run: int, attic: Path, wanted: Wanted, machine: Machine, changes: list[Change]
    ) -> Outcome:
        from zesty_anchor.engine.run import Runner
        from zesty_anchor.proof.prove import prove

        bench = Bench(self.locations, attic, self._open_body, self._reporter.moved)
        runner = Runner(KINDS, journal, bench, self._reporter, run, self._jobs)
        told: list[ChangeReport] = []
        for stage in (Stage.OBTAIN, Stage.SHELL):
            told += runner.stage([c for c in changes if c.stage is stage])
            if any(each.outcome != "done" for each in told):
                told += [waits(c, "something before it failed") for c in changes if c.stage > stage]
                return Outcome(tuple(told))
        for version in wanted.versions:
            journal.resolve(version.runtime, version.want, version.feed, version.version)
        self._reporter.said("asking fresh shells")
        proof = prove(wanted, machine, self._jobs)
        clearing = [c for c in changes if c.stage is Stage.CLEAR]
        if clearing and not proof.ok:
            told += [waits(c, "the new version does not answer yet, so the old one stays") for c in clearing]
        elif clearing:
            # The startup files have changed since the plan was made.
            told += runner.stage([c for c in compare(KINDS, wanted, self.machine()) if c.stage is Stage.CLEAR])
            proof = prove(wanted, machine, self._jobs)
        return Outcome(tuple(told), proof, self._notices(wanted, machine), self._reload(wanted, told))

    def undo(self) -> TakenBack:
        """Take the last provisioning back. Raises ``Problem`` where there is none."""
        from zesty_anchor.engine.undo import recover, take_back_run

        if not self.locations.journal.is_file():
            raise Problem("there is no provisioning to take back", advice="nothing was done in this home")
        with alone(self.locations.state):
            journal = Journal(self.locations.journal)
            try:
                recovered = recover(KINDS, journal, self.locations)
                last = journal.last_run()
                if last is None and not recovered.changes:
                    raise Problem("there is no provisioning to take back", advice="all of them were taken back already")
                if last is None:
                    return recovered
                taken = take_back_run(KINDS, journal, last[0], self.locations)
            finally:
                journal.close()
        return TakenBack(recovered.changes + taken.changes, recovered.notices + taken.notices)

    def dismantle(self) -> tuple[TakenBack, list[str]]:
        """Take back every provisioning, the latest first, then remove this program's own folders.

        The folder of the configuration stays where it holds something: the person wrote it. Where something
        could not be put back, the attic stays too, and the notices say so. Returns what was taken back, and the
        folders that were removed.
        """
        from zesty_anchor.changes.folders import remove_empty
        from zesty_anchor.shelf.place import discard

        changes: tuple[ChangeReport, ...] = ()
        notices: tuple[str, ...] = ()
        if self.locations.journal.is_file():
            while True:
                try:
                    taken = self.undo()
                except Problem as problem:
                    if problem.what != "there is no provisioning to take back":
                        raise
                    break
                changes, notices = changes + taken.changes, notices + taken.notices
        own = [self.locations.data, self.locations.cache]
        if not notices:
            own.append(self.locations.state)
        removed = [self.locations.shown(folder) for folder in own if folder.exists()]
        for folder in own:
            discard(folder)
        remove_empty(str(f) for o in (*own, self.locations.config) for f in self._around(o))
        return TakenBack(changes, notices), removed

    def _around(self, own: Path) -> Iterable[Path]:
        """A folder of this program's and those around it, up to the home."""
        return [f for f in (own, *own.parents) if self.locations.home in f.parents]

    # -- parts -----------------------------------------------------------------------------------------

    def _past(self) -> tuple[dict[tuple[str, str, str], str], bool]:
        """What wants were resolved to, and whether a run was cut off. No journal is made for asking."""
        if not self.locations.journal.is_file():
            return {}, False
        journal = Journal(self.locations.journal)
        try:
            return journal.resolutions(), bool(journal.unfinished())
        finally:
            journal.close()

    def _resolutions(self) -> dict[tuple[str, str, str], str]:
        return self._past()[0]

    def _wanted(
        self, machine: Machine, known: Mapping[tuple[str, str, str], str], *, obtainable: bool = True
    ) -> Wanted:
        versions: dict[tuple[str, str], WantedVersion] = {}
        for name, runtime in self.manifest.runtimes.items():
            for place, want in enumerate((runtime.want, *runtime.also)):
                found = self._version(name, want, place == 0, machine, known, obtainable)
                versions.setdefault((name, found.version), found)
        return put_together(
            self.manifest,
            tuple(versions.values()),
            shells_to_use(self.manifest.shells.use, machine),
            self.file.parent,
            self.locations.home,
        )

    def _version(
        self,
        name: str,
        want: str,
        default: bool,
        machine: Machine,
        known: Mapping[tuple[str, str, str], str],
        obtainable: bool,
    ) -> WantedVersion:
        recipe = self.recipe(name)
        supply = supply_for(name, self.manifest, recipe, machine.host.platform)
        folder = self.locations.shelf / name
        standing = self._standing(name, want, supply, machine, known)
        if standing is not None:
            return WantedVersion(name, standing, want, default, folder / standing, recipe, supply.name)
        if not obtainable:
            raise NotProvisioned(
                f"{name} {want!r} is not installed",
                where=str(self.file),
                advice="run: zesty-anchor provision",
            )
        release = self._release(name, want, machine)
        return WantedVersion(
            runtime=name,
            version=release.version,
            want=want,
            default=default,
            folder=folder / _folder_name(release.version),
            recipe=recipe,
            feed=supply.name,
            channels=release.channels,
            artefact=Artefact(release.url, release.digest, release.size),
        )

    @staticmethod
    def _standing(
        name: str, want: str, supply: Supply, machine: Machine, known: Mapping[tuple[str, str, str], str]
    ) -> str | None:
        """The version on the shelf that a want means: the exact one, or the one it was resolved to before."""
        for version in (want, known.get((name, want, supply.name), "")):
            if (name, version) in machine.shelf:
                return version
        return None

    def _releases(self, name: str, machine: Machine) -> list[Release]:
        if self._feeds is None:
            from zesty_anchor.feeds.open import Feeds

            self._feeds = Feeds(self._environ, self.locations.home, self._session())
        recipe = self.recipe(name)
        supply = supply_for(name, self.manifest, recipe, machine.host.platform)
        return self._feeds.releases(supply, recipe, machine.host.platform)

    def _release(self, name: str, want: str, machine: Machine) -> Release:
        """The release to take for a want. Raises ``UsageProblem`` where nothing fulfils it."""
        offered = self._releases(name, machine)
        chosen = Want(want).choose(offered)
        if chosen is None:
            close = nearest(want, (r.version for r in offered))
            raise UsageProblem(
                f"no version of {name} fulfils {want!r}",
                where=str(self.file),
                advice=(
                    f"the nearest: {', '.join(close)}; "
                    if close
                    else f"the feed offers none for {machine.host.platform}; "
                )
                + f"zesty-anchor list {name} shows all",
            )
        if not chosen.digest:
            raise Problem(
                f"the feed gives no digest for {name} {chosen.version} that could be checked",
                where=chosen.url,
                advice="choose a version that has a sha256 or sha512 digest: an unchecked file is not installed",
            )
        return chosen

    def _session(self) -> Any:
        if self._web is None:
            from zesty_anchor.feeds.web import session

            self._web = session()
        return self._web

    def _open_body(self, url: str, who: str) -> Any:
        from zesty_anchor.feeds.web import WebBody

        return WebBody(self._session(), url, who)

    def _notices(self, wanted: Wanted, machine: Machine) -> tuple[str, ...]:
        return tuple(
            f"{file}:{statement.line} mentions what is removed, and does more, so it stays: {statement.text.splitlines()[0]}"
            for file, statement in undecided(wanted, machine)
        )

    def _reload(self, wanted: Wanted, told: Iterable[ChangeReport]) -> str:
        """The line for the shell that this program was called from, where a change matters to it."""
        if not any(each.kind in ("generated-file", "startup-file") for each in told):
            return ""
        from zesty_anchor.shells.known import LANGUAGES
        from zesty_anchor.system.host import calling_shell

        name = calling_shell(self._environ)
        shell = name if name in wanted.shells else wanted.shells[0]
        return LANGUAGES[shell].reload(generated_file(self.locations, shell), self.locations.home)


def _folder_name(version: str) -> str:
    """A version as one folder name. Raises ``Problem`` for one that a feed uses to leave the shelf."""
    if "/" in version or version.startswith(".") or "\0" in version:
        raise Problem(
            f"the feed offers a version {version!r} that cannot be a folder's name",
            advice="tell whoever runs it",
        )
    return version
