"""The whole put together: what each command asks for, without a screen."""

from __future__ import annotations

import os
import time
from collections.abc import Callable, Iterable, Mapping
from pathlib import Path
from typing import TYPE_CHECKING, Any

import msgspec

from zesty_anchor.changes.change import Bench, Change, Question
from zesty_anchor.changes.conflicts.retire_lines import undecided
from zesty_anchor.changes.kinds import KINDS
from zesty_anchor.changes.shells.launcher_set import texts
from zesty_anchor.engine.journal import Entry, Journal, alone
from zesty_anchor.engine.outcome import ChangeReport, Outcome, Preview, TakenBack, reports
from zesty_anchor.engine.reporter import Reporter
from zesty_anchor.files import own_folders
from zesty_anchor.manifest.model import SYSTEM, Manifest, Recipe
from zesty_anchor.manifest.pin import is_project
from zesty_anchor.manifest.position import line_of
from zesty_anchor.manifest.read import find, read_manifest
from zesty_anchor.manifest.wanted import Wanted, WantedVersion, expand, packages_of, put_together
from zesty_anchor.operations.switching import FOLLOWING, Switching
from zesty_anchor.planning.choices import Choice
from zesty_anchor.planning.compare import compare
from zesty_anchor.planning.conflicts import Conflicting
from zesty_anchor.planning.resolve import Asked, Known, Resolver
from zesty_anchor.shelf.launchers import keep_in_step
from zesty_anchor.shells.known import LAUNCH
from zesty_anchor.survey.machine import Machine, generated_file, shells_to_use, survey
from zesty_anchor.system.host import host
from zesty_anchor.system.locations import Locations, locate
from zesty_anchor.system.privilege import NO_ACCESS, Access, Hands, access, authenticate
from zesty_anchor.system.problem import Problem, UsageProblem

if TYPE_CHECKING:
    from zesty_anchor.changes.kept import Kept
    from zesty_anchor.engine.questions import Asker
    from zesty_anchor.proof.result import Proof
    from zesty_anchor.survey.findings import Findings
    from zesty_anchor.survey.startup.provenance import Origin

_NOTHING_LEFT = "there is no provisioning to take back"


class Listing(msgspec.Struct, frozen=True):
    """One runtime's versions. ``in_effect`` is the default version, and what decided it. ``through`` is the manager that
    installs it, ``manager`` tells that it is one.
    """

    runtime: str
    in_effect: dict[str, str] | None
    installed: tuple[str, ...]
    obtainable: tuple[Any, ...]
    through: str = ""
    manager: bool = False


class Traced(msgspec.Struct, frozen=True):
    """All that answers to one name in fresh shells, and what decided the version where it is one of the manifest's.

    ``here`` is what answers in the environment that we were called from (empty: nothing, or it is not a command),
    ``cut_off`` are shells that never became ready, with the reason.
    """

    name: str
    answers: tuple[Origin, ...]
    here: str
    cut_off: tuple[str, ...]
    decided: Choice | None


class Workstation:
    """One home, one environment, and (where a command needs it) one manifest.

    ``asker`` answers questions; None where nobody can be asked. With ``yes`` it is not asked what is safe.
    """

    def __init__(
        self,
        environ: Mapping[str, str],
        reporter: Reporter,
        *,
        jobs: int = 4,
        asker: Asker | None = None,
        yes: bool = False,
        offline: bool = False,
    ) -> None:
        self._environ = environ
        self._reporter = reporter
        self._jobs = jobs
        self._asker = asker
        self._yes = yes
        self._offline = offline
        self._secrets: dict[str, str] = {}
        self._conflicting: Conflicting | None = None
        """Only where changes are planned: fresh shells are asked for it."""
        self.locations: Locations = locate(environ)
        self.manifest = Manifest()
        self.file = Path()
        self._resolver = Resolver(self.manifest, self.file, self.locations, environ)
        self.switching = Switching(self, environ, Path())

    def load(self, given: Path | None, folder: Path) -> None:
        """Find and read the manifest, and the recipes that it needs. Raises ``UsageProblem``."""
        self.file = find(given, folder, self.locations.config, self._provisioned(), _is_project).absolute()
        self._read_manifest()
        self.switching = Switching(self, self._environ, folder)

    def load_provisioned(self, folder: Path) -> None:
        """Read the manifest that this machine was provisioned from last: what the shells ask about is in its terms."""
        self.file = self._provisioned() or find(None, self.locations.home, self.locations.config).absolute()
        self._read_manifest()
        self.switching = Switching(self, self._environ, folder)

    def _read_manifest(self) -> None:
        self.manifest = read_manifest(self.file)
        self._resolver = Resolver(self.manifest, self.file, self.locations, self._environ, offline=self._offline)

    def _provisioned(self) -> Path | None:
        if not self.locations.journal.is_file():
            return None
        journal = Journal(self.locations.journal)
        try:
            file = journal.last_manifest()
        finally:
            journal.close()
        return file if file is not None and file.is_file() else None

    # -- looking ---------------------------------------------------------------------------------------

    def look(self) -> Findings:
        """The survey, with the commands of the manifest's runtimes, and those of runtimes that have a shipped recipe."""
        from zesty_anchor.recipes import shipped
        from zesty_anchor.survey.look import look

        manifest = self.locations.shown(self.file) if self.manifest.tools else ""
        return look(self.machine(), self._resolver.recipes, shipped(), manifest)

    def draft(self, file: Path) -> str:
        """The text of a starter manifest, from the survey. Raises ``UsageProblem`` where the file exists."""
        from zesty_anchor.survey.draft import draft

        if file.exists():
            raise UsageProblem(
                f"{file} exists already", advice="name another one: zesty-anchor draft FILE; or - to print it"
            )
        return draft(self.look())

    def preview(self) -> Preview:
        """What a provisioning would change, and ask."""
        from zesty_anchor.engine.questions import estimate, gather

        machine = self.machine()
        self._conflicting = Conflicting(self.manifest)
        self._take_project()
        wanted = self._wanted(machine, self._past()[0])
        changes = compare(KINDS, wanted, machine)
        given = self._access(changes)
        questions = [
            *self._as_root(changes),
            *self._conflicting.questions(wanted, machine, changes),
            *gather(changes, given),
        ]
        commands = [given.shown(command) for change in changes for command in change.commands]
        return Preview(
            reports(changes), self._notices(wanted, machine), tuple(questions), tuple(commands), estimate(changes)
        )

    def verify(self) -> Proof:
        """Ask fresh shells. Raises ``NotProvisioned`` where a version is missing from the shelf."""
        from zesty_anchor.engine.questions import settle
        from zesty_anchor.proof.prove import prove

        machine = self.machine()
        wanted = self._wanted(machine, self._past()[0], obtainable=False)
        settle(self._as_root(wanted.versions), self._asker, yes=self._yes)
        return prove(wanted, machine, self._jobs)

    def listings(self) -> list[Listing]:
        """Each runtime of the manifest, and what is on the shelf. No feed is asked."""
        machine, choices = self.machine(), self.switching.in_effect()
        return [self._listing(name, machine, choices, ()) for name in self.manifest.tools]

    def listing(self, runtime: str) -> Listing:
        """One runtime, with the versions that its feed offers, newest first."""
        from zesty_anchor.manifest.version import Version

        self.check_runtime(runtime)
        machine = self.machine()
        offered = self._resolver.releases(runtime, machine)
        for notice in self._ages():
            self._reporter.said(notice)
        newest_first = sorted(offered, key=lambda release: Version(release.version), reverse=True)
        return self._listing(runtime, machine, self.switching.in_effect(), newest_first)

    def licence(self, runtime: str) -> str:
        """The text of the licence that the version comes under which would be taken. Raises ``Problem``."""
        self.check_runtime(runtime)
        return self._resolver.licence_text(runtime, self.machine())

    def _listing(self, name: str, machine: Machine, choices: Iterable[Choice], offered: Iterable[Any]) -> Listing:
        choice = next(choice for choice in choices if choice.runtime == name)
        effect = {"version": choice.version, "scope": choice.scope, "decided_by": choice.decided_by}
        return Listing(
            runtime=name,
            in_effect=effect if choice.version else None,
            installed=tuple(v for r, v in machine.shelf if r == name),
            obtainable=tuple({"version": r.version, "channels": r.channels, "date": r.date} for r in offered),
            through=self.manifest.tools[name].through or "",
            manager=name in self.manifest.managers,
        )

    # -- what switching asks ---------------------------------------------------------------------------

    @property
    def recipes(self) -> Mapping[str, Recipe]:
        """The recipes of the manifest's runtimes."""
        return self._resolver.recipes

    def check_runtime(self, name: str) -> None:
        """Raises ``UsageProblem`` where the manifest does not have a runtime, or a manager, of this name."""
        if name not in self.manifest.tools:
            import difflib

            close = difflib.get_close_matches(name, self.manifest.tools, 1)
            raise UsageProblem(
                f"the manifest has no runtime {name!r}",
                where=str(self.file),
                advice=f"did you mean {close[0]!r}?" if close else f"add [runtimes.{name}] with want = …",
            )

    def decided_by_default(self, name: str) -> str:
        """Where the manifest says which version of a runtime is the default."""
        number = line_of(self.file.read_text("utf-8"), (*self.manifest.step(name), "want"))
        return f"{self.locations.shown(self.file)}:{number} (want {self.manifest.tools[name].want})"

    def default_version(self, name: str, machine: Machine) -> str | None:
        """The version that a runtime has by default; ``system`` where it is left to that, None where none stands."""
        if self.manifest.tools[name].want == SYSTEM:
            return SYSTEM
        return self._resolver.standing(name, machine, self._past()[0])

    def releases(self, name: str) -> list[Any]:
        """What a runtime's feed offers."""
        return list(self._resolver.releases(name, self.shelf()))

    def wanted_here(self, machine: Machine) -> Wanted:
        """What the manifest wants, as far as it stands on the shelf."""
        return self._wanted(machine, self._past()[0], obtainable=False)

    def may(self, question: str) -> bool:
        """Ask for a yes, where there is somebody to ask."""
        return self._asker is not None and self._asker.yes(Question("install", question, "--install", safe=True))

    def bring(self, asked: Iterable[Asked]) -> None:
        """Install versions beside those of the manifest. Raises ``Problem`` where that fails."""
        self._resolver.more = tuple(asked)
        outcome = self.provision()
        if not outcome.well:
            failed = next((c for c in outcome.changes if c.outcome == "failed"), None)
            raise Problem(
                failed.problem if failed else "it could not be installed", advice="zesty-anchor provision tells more"
            )

    def reload_line(self) -> str:
        """The line that brings the shell up to date which this program was called from."""
        from zesty_anchor.shells.known import SHELLS
        from zesty_anchor.system.host import calling_shell

        used = [name for name in SHELLS if generated_file(self.locations, name).is_file()]
        name = calling_shell(self._environ)
        if not used:
            return "run: zesty-anchor provision"
        name = name if name in used else used[0]
        return SHELLS[name].reload(generated_file(self.locations, name), self.locations.home)

    def behind(self) -> str:
        """The line to type, where the shell that called has read a generated file that is no longer what it was."""
        from zesty_anchor.shells.known import SHELLS

        loaded = self._environ.get("ZESTY_ANCHOR_LOADED", "")
        if not loaded or self._environ.get("ZESTY_ANCHOR_SHELL") in FOLLOWING:
            return ""
        for name in SHELLS:
            file = generated_file(self.locations, name)
            if file.is_file():
                with file.open("rb") as opened:
                    current = b"# stamp " + loaded.encode() in (opened.readline(), opened.readline().strip())
                return "" if current else self.reload_line()
        return ""

    @property
    def provisioned(self) -> bool:
        """Whether what the shells read stands here."""
        return generated_file(self.locations, LAUNCH).is_file()

    def keep_in_step(self) -> None:
        """Bring the launchers in step with the shelf: the runtimes' own package tools add commands to it."""
        if self.provisioned:
            runtimes = tuple((name, recipe.bin) for name, recipe in self.recipes.items())
            keep_in_step(self.locations.launchers, texts(self.locations, runtimes))

    # -- changing --------------------------------------------------------------------------------------

    def provision(self) -> Outcome:
        """Make the machine as the manifest says, and prove it.

        Raises ``Problem`` where nothing could be begun; what fails later is told in the outcome.
        """
        began = time.monotonic()
        known, cut_off = self._past()
        machine = self.machine()
        self._conflicting = Conflicting(self.manifest)
        self._take_project()
        wanted = self._wanted(machine, known)
        changes = compare(KINDS, wanted, machine)
        if not changes and not cut_off:
            self.keep_in_step()
            return Outcome((), notices=self._notices(wanted, machine), seconds=time.monotonic() - began)
        asked = self._conflicting.questions(wanted, machine, changes)
        if asked and self._asker is not None:
            from zesty_anchor.engine.questions import settle

            self._conflicting.answers |= settle(asked, self._asker, yes=self._yes)
            changes = compare(KINDS, self._conflicting.added(wanted, machine), machine)
            asked = []
        hands = self._hands(changes, cut_off, [*self._as_root(changes), *asked])
        with alone(self.locations.state), hands.kept_alive():
            journal = Journal(self.locations.journal)
            try:
                outcome = self._provision(journal, hands)
            finally:
                journal.close()
        self.keep_in_step()
        self.switching.renew()
        return msgspec.structs.replace(outcome, seconds=time.monotonic() - began)

    def _take_project(self) -> None:
        """What the project in this folder pins, and what is not installed, is wanted beside the rest."""
        if not self._resolver.more:
            self._resolver.more = tuple(self.switching.asked(self.switching.missing()))

    def _provision(self, journal: Journal, hands: Hands) -> Outcome:
        from zesty_anchor.engine.undo import attic_of, recover

        recovered = recover(KINDS, journal, self._bench(hands, self.locations.attic))
        for change in recovered.changes:
            self._reporter.said(f"an earlier run was cut off: took back {change.action} {change.subject}")
        machine = self.machine()
        wanted = self._wanted(machine, journal.resolutions())
        changes = compare(KINDS, wanted, machine)
        if not changes:
            return Outcome((), notices=recovered.notices)
        run = journal.begin_run(self.file)
        bench = self._bench(hands, attic_of(run, self.locations))
        from zesty_anchor.operations.provisioning import Provisioning

        provisioning = Provisioning(self, journal, run, bench, hands.access, self._reporter, self._jobs)
        try:
            outcome = provisioning.carry_out(wanted, machine, changes)
        finally:
            journal.end_run(run)
            for folder in (bench.attic, bench.log):
                if not any(folder.iterdir()):
                    folder.rmdir()
        return msgspec.structs.replace(
            outcome,
            notices=(*recovered.notices, *outcome.notices, *(self._notices(wanted, machine) if outcome.proof else ())),
            reload=self._reload(wanted, outcome.changes) if outcome.proof else "",
        )

    def locate(self, runtime: str, version: str) -> Path:
        """The folder of an installed version: the one in effect here, or the newest that ``version`` is a line of."""
        from zesty_anchor.manifest.version import Version

        machine = self.machine()
        here = [v for r, v in machine.shelf if r == runtime]
        if not version and runtime in self.manifest.tools:
            chosen = self.switching.choice(runtime).version
            found = chosen if chosen not in ("", SYSTEM) else None
        else:
            fitting = [v for v in here if v == version or (version and Version(v).begins_with(Version(version)))]
            found = version if version in fitting else max(fitting, key=Version, default=None)
        if found is None:
            raise Problem(
                f"{runtime} {version}".strip() + " is not installed",
                advice=f"installed: {', '.join(here)}" if here else "run: zesty-anchor provision",
            )
        return self.locations.shelf / runtime / found

    def trace(self, name: str) -> Traced:
        """Where a command, a variable (``$NAME``) or the entries of PATH come from, in fresh shells of every kind."""
        from zesty_anchor.survey.look import answering
        from zesty_anchor.survey.owner import Owners
        from zesty_anchor.survey.startup.provenance import origins, traces

        machine = self.shelf()
        started = traces(machine)
        here = (
            ""
            if name.startswith("$") or name == "PATH"
            else next(iter(answering(name, self._environ.get("PATH", ""))), "")
        )
        runtime = next((r for r, recipe in self.recipes.items() if name == r or name in recipe.commands), None)
        return Traced(
            name,
            tuple(origins(name, started, machine, Owners(machine))),
            here,
            tuple(f"{t.shell} ({t.context}): {t.cut_off}" for t in started if t.cut_off),
            self.switching.choice(runtime) if runtime else None,
        )

    def public_key(self) -> str:
        """The public half of the key that the manifest's identity means. Raises ``Problem`` where there is none."""
        from zesty_anchor.system.ssh import key_file

        kind = self.manifest.identity.key if self.manifest.identity else None
        file = key_file(self.locations.home, kind or "ed25519")
        public = file.with_name(file.name + ".pub")
        if not public.is_file():
            raise Problem(
                f"there is no key at {self.locations.shown(public)}",
                advice='write key = "ed25519" in [identity], then run: zesty-anchor provision',
            )
        return public.read_text("utf-8").strip()

    def remove(self, runtime: str, version: str) -> TakenBack:
        """Take one version off the shelf, into the attic. Raises ``Problem`` where something needs it."""
        from zesty_anchor.changes.runtimes.remove_version import RemoveVersion
        from zesty_anchor.engine.outcome import report
        from zesty_anchor.engine.run import Runner
        from zesty_anchor.engine.undo import attic_of

        machine = self.machine()
        if (runtime, version) not in machine.shelf:
            here = ", ".join(v for r, v in machine.shelf if r == runtime)
            raise UsageProblem(f"{runtime} {version} is not installed", advice=f"installed: {here or 'none'}")
        self._refuse_needed(runtime, version, machine)
        folder = self.locations.shelf / runtime / version
        changes = [RemoveVersion(folder, f"{runtime} {version}")]
        if folder.is_symlink():  # a manager keeps it
            kept = Path(os.path.realpath(folder))
            changes.append(RemoveVersion(kept, self.locations.shown(kept)))
        with alone(self.locations.state):
            journal = Journal(self.locations.journal)
            try:
                run = journal.begin_run(self.file)
                bench = self._bench(Hands(NO_ACCESS, self._reporter.said), attic_of(run, self.locations))
                done = Runner(KINDS, journal, bench, self._reporter, run, 1).stage(changes)
                journal.end_run(run)
            finally:
                journal.close()
        failed = [each for each in done if each.outcome != "done"]
        if failed:
            raise Problem(failed[0].problem, where=failed[0].where, advice=failed[0].advice)
        self.keep_in_step()
        self.switching.renew()
        return TakenBack(tuple(report(change, "done") for change in changes))

    def script(self, manager: str) -> tuple[str, bytes]:
        """The version of a manager that would be installed, and its installer, to be read."""
        return self._resolver.script(manager, self.shelf())

    def _refuse_needed(self, runtime: str, version: str, machine: Machine) -> None:
        """Raises ``Problem`` where the manifest wants a version, or another one runs on it."""
        known = self._past()[0]
        if runtime in self.manifest.tools:
            wanted = self.manifest.tools[runtime]
            for want in (wanted.want, *wanted.also):
                if version in self._resolver.meant(runtime, want, machine, known):
                    raise Problem(
                        f"{runtime} {version} is needed: the manifest wants {want!r}",
                        where=f"{self.file}:{line_of(self.file.read_text('utf-8'), self.manifest.step(runtime))}",
                        advice="take it out of the manifest first",
                    )
        for (other, number), receipt in machine.shelf.items():
            if receipt.on == f"{runtime} {version}":
                raise Problem(
                    f"{runtime} {version} is needed: {other} {number} runs on it",
                    advice=f"remove that first: zesty-anchor remove {other} {number}",
                )

    def write_lock(self, platforms: list[str], upgrade: list[str]) -> tuple[Path, list[Any]]:
        """Write exact versions, addresses and digests beside the manifest. Returns the file, and what it holds."""
        from zesty_anchor.manifest.lock import file_beside, write
        from zesty_anchor.planning.locking import Locker

        unknown = [name for name in upgrade if name not in self.manifest.tools]
        if unknown:
            raise UsageProblem(f"the manifest has no runtime {unknown[0]!r}", where=str(self.file))
        entries = Locker(self.manifest, self._resolver).anew(self.machine(), platforms, upgrade)
        write(file_beside(self.file), entries)
        return file_beside(self.file), entries

    def undo(self) -> TakenBack:
        """Take the last provisioning back. Raises ``Problem`` where there is none."""
        return self._take_back(lambda runs: runs[:1])

    def _take_back(self, which: Callable[[list[int]], list[int]]) -> TakenBack:
        from zesty_anchor.engine.undo import attic_of, recover, take_back_run

        if not self.locations.journal.is_file():
            raise Problem(_NOTHING_LEFT, advice="nothing was done in this home")
        with alone(self.locations.state):
            journal = Journal(self.locations.journal)
            try:
                runs = which(journal.standing_runs())
                cut_off = journal.unfinished()
                if not runs and not cut_off:
                    raise Problem(_NOTHING_LEFT, advice="all of them were taken back already")
                hands = self._hands((), [*cut_off, *(entry for run in runs for entry in journal.entries(run))], ())
                with hands.kept_alive():
                    taken = [recover(KINDS, journal, self._bench(hands, self.locations.attic))]
                    for run in runs:
                        bench = self._bench(hands, attic_of(run, self.locations))
                        taken.append(take_back_run(KINDS, journal, run, bench))
                if not journal.standing_runs():
                    own_folders.remove(self.locations.answers, self.locations.pins)
            finally:
                journal.close()
        return TakenBack(
            tuple(change for each in taken for change in each.changes),
            tuple(notice for each in taken for notice in each.notices),
        )

    def kept(self) -> list[Kept]:
        """What is in the attic, the latest first."""
        from zesty_anchor.changes.kept import kept_by

        if not self.locations.journal.is_file():
            return []
        journal = Journal(self.locations.journal)
        try:
            return [
                each
                for run in journal.standing_runs()
                for entry in journal.entries(run)
                for each in kept_by(entry.record, journal.began(run))
            ]
        finally:
            journal.close()

    def empty_attic(self) -> list[Kept]:
        """Throw away what is in it, after a yes. What undo needs to put lines back stays: it is not listed."""
        from zesty_anchor.changes.kept import throw_away
        from zesty_anchor.engine.questions import settle

        things = self.kept()
        if things:
            names = ", ".join(self.locations.shown(each.was) for each in things)
            text = f"throw away for good what is in the attic ({names})? undo cannot bring it back then"
            settle([Question("attic", text, "--yes", safe=True)], self._asker, yes=self._yes)
            with alone(self.locations.state):
                for each in things:
                    throw_away(each)
        return things

    def dismantle(self) -> tuple[TakenBack, list[str]]:
        """Take back every provisioning, the latest first, then remove this program's own folders.

        The folder of the configuration stays where it holds something: the person wrote it. Where something
        could not be put back, the attic stays too, and the notices say so. Returns what was taken back, and the
        folders that were removed.
        """
        from zesty_anchor.engine.questions import settle

        question = Question("dismantle", "take back everything that zesty-anchor did in this home?", "--yes", safe=True)
        settle([question], self._asker, yes=self._yes)
        taken = TakenBack(())
        try:
            taken = self._take_back(lambda runs: runs)
        except Problem as problem:
            if problem.what != _NOTHING_LEFT:
                raise
        own = [self.locations.answers, self.locations.pins, self.locations.cache, self.locations.data]
        if not taken.notices:
            own.append(self.locations.state)
        removed = [self.locations.shown(folder) for folder in own if folder.exists()]
        own_folders.remove(*own)
        return taken, removed

    # -- parts -----------------------------------------------------------------------------------------

    def machine(self) -> Machine:
        """The machine as it is, as far as the manifest speaks of it."""
        families = host().families
        packages = {p.name for family in families for p in packages_of(self.manifest, self._resolver.recipes, family)}
        return survey(
            self.locations, self._environ, packages=packages, system_environment=SYSTEM in self.manifest.variables,
            identity=self.manifest.identity,
            settings=[Path(expand(setting.file, self.locations.home)) for setting in self.manifest.settings],
        )  # fmt: skip

    def _coming(self, machine: Machine) -> frozenset[str]:
        """The packages that are still to be installed."""
        facts = machine.packages
        names = packages_of(self.manifest, self._resolver.recipes, facts.family) if facts else ()
        return frozenset(p.name for p in names if facts and p.name not in facts.installed)

    def shelf(self) -> Machine:
        """The machine without what only a provisioning asks for: packages, system-wide variables."""
        return survey(self.locations, self._environ)

    def _past(self) -> tuple[Known, list[Entry]]:
        """What wants were resolved to, and where a run was cut off. No journal is made for asking."""
        if not self.locations.journal.is_file():
            return {}, []
        journal = Journal(self.locations.journal)
        try:
            return journal.resolutions(), journal.unfinished()
        finally:
            journal.close()

    def _wanted(self, machine: Machine, known: Known, *, obtainable: bool = True) -> Wanted:
        return self.put_together(machine, self._resolver.versions(machine, known, obtainable=obtainable))

    def wanted_anew(self, machine: Machine, known: Known) -> tuple[Wanted, dict[str, Problem]]:
        """What is wanted, now that the managers can be asked; and what came of those that they cannot give, by name."""
        failing: dict[str, Problem] = {}
        return self.put_together(machine, self._resolver.versions(machine, known, failing=failing)), failing

    def put_together(self, machine: Machine, versions: tuple[WantedVersion, ...]) -> Wanted:
        """What is wanted, given the versions, and what conflicts with them."""
        wanted = self._put_together(machine, versions)
        return self._conflicting.added(wanted, machine) if self._conflicting else wanted

    def _put_together(self, machine: Machine, versions: tuple[WantedVersion, ...]) -> Wanted:
        family = machine.packages.family if machine.packages else ""
        return put_together(
            self.manifest,
            versions,
            shells_to_use(self.manifest.shells.use, machine, self._coming(machine)),
            packages_of(self.manifest, self._resolver.recipes, family),
            self.file.parent,
            self.locations.home,
            self._resolver.of_system,
            self.locations.shelf,
            self._resolver.recipes,
        )

    def _as_root(self, work: Iterable[object]) -> list[Question]:
        """As root nothing that came from a feed may run, unless the manifest, or the person, allows it."""
        if os.geteuid() != 0 or self.manifest.as_root == "allowed" or not self.manifest.tools or not list(work):
            return []
        return [
            Question(
                "as-root",
                "this runs as root, and so would the programs from the feeds when they are proved: shall they?",
                'as-root = "allowed" (at the top of the manifest), or run it as another user',
            )
        ]

    def _access(self, changes: Iterable[Change], entries: Iterable[Entry] = ()) -> Access:
        """The way to privilege, looked for only where something needs it."""
        if any(c.privileged for c in changes) or any(e.record.get("privileged") for e in entries):
            return access(self._environ)
        return NO_ACCESS

    def _hands(self, changes: Iterable[Change], entries: Iterable[Entry], more: Iterable[Question]) -> Hands:
        """Ask everything there is to ask, the password last. Raises ``Problem`` where an answer is missing."""
        from zesty_anchor.engine.questions import estimate, gather, password_question, settle
        from zesty_anchor.system.host import user_name

        changes = tuple(changes)
        given = self._access(changes, entries)
        questions = [*more, *gather(changes, given)]
        if given.password and password_question(given) not in questions:
            questions.append(password_question(given))
        self._secrets = settle(questions, self._asker, yes=self._yes)
        given = authenticate(given, user_name())
        ahead = estimate(changes)
        if questions and ahead.steps:
            self._reporter.unattended(ahead.steps, ahead.size, ahead.unknown)
        return Hands(given, self._reporter.said)

    def _bench(self, hands: Hands, attic: Path) -> Bench:
        log = self.locations.state / "logs" / attic.name
        for folder in (attic, log):
            folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        run = hands.run if hands.access.way else lambda command, hear: 1
        return Bench(
            self.locations, attic, self._resolver.open_body, run, log, self._reporter.told, self._reporter.moved,
            self._secrets,
        )  # fmt: skip

    def _notices(self, wanted: Wanted, machine: Machine) -> tuple[str, ...]:
        notices = [
            f"{file}:{statement.line} mentions what is removed, and does more, so it stays: "
            + statement.text.splitlines()[0]
            for file, statement in undecided(wanted, machine)
        ]
        notices += self._conflicting.staying(wanted, machine) if self._conflicting else []
        if self.manifest.prerequisites.packages and machine.packages is None:
            notices.append(
                f"[prerequisites] is passed over: no package manager that we know is on {machine.host.title}"
            )
        return (*notices, *self._ages())

    def _ages(self) -> list[str]:
        """Offline: how old each answer is that was used."""
        return [f"offline: what {who} answered is {_age(age)} old" for who, age in self._resolver.ages.items()]

    def _reload(self, wanted: Wanted, told: Iterable[ChangeReport]) -> str:
        """The line for the shell that this program was called from, where a change matters to it."""
        if not any(each.kind in ("generated-file", "startup-file") for each in told):
            return ""
        if self._environ.get("ZESTY_ANCHOR_SHELL") in FOLLOWING:
            return ""  # its function does it itself
        return self.reload_line()


def _is_project(file: Path) -> bool:
    return is_project(file.read_text("utf-8", "replace"))


def _age(seconds: float) -> str:
    """A time span for a person."""
    for unit, size in (("day", 86400), ("hour", 3600), ("minute", 60)):
        if seconds >= size:
            number = int(seconds // size)
            return f"{number} {unit}{'' if number == 1 else 's'}"
    return "less than a minute"
