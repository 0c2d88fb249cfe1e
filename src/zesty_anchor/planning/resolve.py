"""From a manifest's wants to versions: those that stand on the shelf, else those that the feeds offer."""

from __future__ import annotations

import os
from collections.abc import Iterable, Mapping
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

import msgspec

from zesty_anchor.feeds.admitted import admitted
from zesty_anchor.feeds.known import feed_class
from zesty_anchor.feeds.release import Piece, Release, choose
from zesty_anchor.files.inventory import MISSING, Difference
from zesty_anchor.manifest.build_options import built_as
from zesty_anchor.manifest.lock import Locked, file_beside
from zesty_anchor.manifest.model import SYSTEM
from zesty_anchor.manifest.part import names_for
from zesty_anchor.manifest.recipe import Coupled, Earlier
from zesty_anchor.manifest.version import Version
from zesty_anchor.manifest.want import Want, nearest
from zesty_anchor.manifest.wanted import Artefact, BuiltWith, WantedExtra, WantedVersion, expand, refer
from zesty_anchor.planning.builder import with_builder
from zesty_anchor.planning.companions import parts_of
from zesty_anchor.planning.coupling import may_run, runs_on
from zesty_anchor.planning.extras import installed_extras, known_extras, wanted_extras
from zesty_anchor.planning.offers import Offers, sha256
from zesty_anchor.planning.standing import Known, moved, standing
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.shelf.receipt import Receipt, damage_in, lacking
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system.host import login_path
from zesty_anchor.system.problem import Problem, UsageProblem

if TYPE_CHECKING:
    from zesty_anchor.shelf.build import Pace

Found = Mapping[str, Mapping[str, object]]
"""The versions resolved so far, by runtime and version."""


class Asked(NamedTuple):
    """One want of one runtime, and whether it is the default one. ``place`` is the file and line that asks
    for it, where that is not the manifest.
    """

    runtime: str
    want: str
    default: bool
    place: str = ""


class Missing(NamedTuple):
    """A want for which nothing stands on the shelf, and the line of the manifest that asks for it."""

    runtime: str
    want: str
    place: str


class _NotThere(Exception):
    """Nothing stands there for a want, and nothing is to be asked for."""


class Resolver:
    """Resolves the wants of one workstation, and ``more`` beside those of its manifest. The network is used
    only where a want has no version on the shelf, or a damaged one; ``deep`` has each file of a version read
    to tell that.
    """

    def __init__(
        self, workstation: Workstation, offers: Offers, more: tuple[Asked, ...] = (), *, deep: bool = False
    ) -> None:
        self._workstation = workstation
        self._offers = offers
        self._more = more
        self._deep = deep
        self._others: dict[str, Resolver] = {}

    def versions(
        self,
        machine: Machine,
        known: Known,
        *,
        failing: dict[str, Problem] | None = None,
        missing: list[Missing] | None = None,
    ) -> tuple[WantedVersion, ...]:
        """Every version that the manifest wants, the default of each runtime before those beside it.

        With ``failing``, what a manager cannot give is left out and its problem put in there, by runtime.
        With ``missing``, nothing is asked for: what does not stand is left out, and put in there.

        Raises ``UsageProblem`` where nothing matches a want, and ``Problem`` where a feed fails.
        """
        found: dict[str, dict[str, WantedVersion]] = {name: {} for name in self._workstation.manifest.tools}
        tools = self._workstation.manifest.tools
        # Those that run on another runtime come after it: their version depends on its.
        for name in sorted(tools, key=lambda n: self._workstation.recipes[n].on is not None):
            runtime = tools[name]
            beside = (each for each in self._more if each.runtime == name)
            own = (Asked(name, want, want == runtime.want) for want in self._workstation.manifest.wants(name))
            for asked in (*own, *beside):
                want = asked.want
                if want == "system":
                    continue
                try:
                    version = self._version(asked, machine, known, missing is None, found)
                except _NotThere:
                    (missing if missing is not None else []).append(
                        Missing(name, want, self._line(name, want))
                    )
                    continue
                except Problem as problem:
                    if not asked.place:
                        self._locate(problem, self._line(name, want))
                    if failing is None or runtime.through is None:
                        raise
                    failing[name] = problem
                    continue
                found[name].setdefault(version.version, version)
        return with_others(version for versions in found.values() for version in versions.values())

    def _below(self, coupled: Coupled | None, machine: Machine, found: Found) -> list[str]:
        """The versions that the manifest wants of the runtime below a coupled one; the system's own as
        ``system VERSION``, or ``system`` where no package tells its version.
        """
        if coupled is None:
            return []
        name, tools = coupled.runtime, self._workstation.manifest.tools
        versions = list(found.get(name, {}))
        if name in tools and tools[name].want == SYSTEM:
            from zesty_anchor.survey.installs_there import installs_there
            from zesty_anchor.survey.owner import Owners

            recipe = {name: self._workstation.recipes[name]}
            there = installs_there(recipe, machine, Owners(machine), login_path(superuser=False))[name]
            system = next((each.version for each in there if each.path.startswith("/usr/")), "")
            versions.append(f"{SYSTEM} {system}".strip())
        return versions

    def _line(self, name: str, want: str) -> str:
        """The line of the manifest that asks for a version; that of the runtime's want for one beside it."""
        steps = self._workstation.manifest.wants(name)
        return self._workstation.place(*steps.get(want, next(iter(steps.values()))))

    def _locate(self, problem: Problem, line: str) -> None:
        """Have a problem name the line of the manifest that asks for what cannot be had."""
        if f"{self._workstation.file}:" not in problem.where:
            rest = problem.where if problem.where != str(self._workstation.file) else ""
            problem.where = f"{line}; {rest}" if rest else line

    def extra_versions(self, name: str, want: str, version: str) -> dict[str, str]:
        """The versions of the command-line packages of a version, by what is asked for: those that it has,
        else the newest; empty where nobody tells.
        """
        return {extra.asked: extra.version for extra in self._extras(name, want, version)}

    def _extras(self, name: str, want: str, version: str) -> tuple[WantedExtra, ...]:
        there = installed_extras(self._workstation, name, self._workstation.locations.shelf / name / version)
        return wanted_extras(self._workstation, self._offers, name, want, there, version)

    def _version(
        self, asked: Asked, machine: Machine, known: Known, available: bool, found: Found
    ) -> WantedVersion:
        name, want = asked.runtime, asked.want
        workstation = self._workstation
        recipe, runtime = workstation.recipes[name], workstation.manifest.tools[name]
        below = self._below(recipe.on, machine, found)
        folder = workstation.locations.shelf / name
        base = WantedVersion(
            runtime=name, version="", want=want, default=asked.default, folder=folder, recipe=recipe, feed="",
            build=runtime.build, through=runtime.through or "", replaces=runtime.replaces,
            home=Path(recipe.manager.home) if recipe.manager and recipe.manager.home else None,
        )  # fmt: skip
        locked = workstation.lock.get((name, want))
        here = standing(workstation, name, want, machine, known)
        if here is not None:
            base = self._with_damage(base, here, machine, below)
            there = installed_extras(workstation, name, folder / here)
            if not available:
                return placed(msgspec.structs.replace(base, extras=known_extras(workstation, name, there)))
            if not base.damage:
                return placed(
                    msgspec.structs.replace(
                        base,
                        extras=wanted_extras(
                            workstation, self._offers, name, want, there, machine.shelf[name, here].version
                        ),
                    )
                )
        if not available:
            return _absent(workstation, base, locked.version if locked else "", known)
        before = moved(name, want, machine, known)
        if runtime.through is not None and not any(n == runtime.through for n, _ in machine.shelf):
            version = locked.version if locked else before or want
            extras = wanted_extras(workstation, self._offers, name, want, {}, version)
            return placed(
                msgspec.structs.replace(
                    base,
                    version=version,
                    folder=folder / version,
                    pending=True,
                    feed=runtime.through,
                    extras=extras,
                )
            )
        kept = _kept(workstation, machine.shelf[name, here]) if here is not None else None
        exact = here or (before if before and self._is_offered(name, before, machine) else None)
        if kept is not None:
            release = kept
        elif locked:
            release = self._locked_release(locked, machine)
        else:
            release = self.release(asked._replace(want=exact or want), machine, found)
            receipt = machine.shelf.get((name, release.version))
            if receipt is not None and here is None and receipt.digest == release.digest:
                # It came with a run that did not end well: nobody noted yet what the want means.
                noted = {**known, (name, want, release.feed): release.version}
                if standing(workstation, name, want, machine, noted) is not None:
                    return self._version(asked, machine, noted, available, found)
        return self._to_obtain(base, release, machine, below, kept)

    def _locked_release(self, locked: Locked, machine: Machine) -> Release:
        """What the lock says of a version. Raises ``UsageProblem`` where that is nothing for this platform,
        or what its feed would not be allowed to offer.
        """
        lock = file_beside(self._workstation.file)
        file = locked.files.get(machine.host.platform)
        if file is None:
            raise UsageProblem(
                f"the lock has no file of {locked.runtime} {locked.version} for {machine.host.platform}",
                where=str(lock),
                advice=f"add it with: zesty-anchor lock --platform {machine.host.platform}",
            )
        release = Release(
            version=locked.version, url=file.url, digest=file.digest, size=file.size,
            channels=locked.channels,
            licence=locked.licence, signature=file.signature, source=file.source, feed=locked.feed,
            parts=tuple(Piece(each.name, each.version, each.url, each.digest,
            each.size) for each in file.parts),
        )  # fmt: skip
        if self._workstation.manifest.tools[locked.runtime].through is None:
            kind = self._offers.supply(locked.runtime, locked.feed, machine).kind
            _, left_out = admitted([release], feed_class(kind))
            if left_out:
                raise UsageProblem(
                    f"the lock is refused: {left_out[0]}",
                    where=str(lock),
                    advice=f"lock it again: zesty-anchor lock --upgrade {locked.runtime}",
                )
        return release

    def _is_offered(self, name: str, version: str, machine: Machine) -> bool:
        return any(release.version == version for release in self._offers.releases(name, machine))

    def _with_damage(
        self, base: WantedVersion, here: str, machine: Machine, below: list[str]
    ) -> WantedVersion:
        """A version that stands on the shelf, with what of it is not as it was put there."""
        workstation, name, recipe = self._workstation, base.runtime, base.recipe
        folder, receipt = base.folder / here, machine.shelf[name, here]
        damage = damage_in(folder, receipt, workstation.manifest.tools[name].keep, deep=self._deep)
        choices = built_as(base.build)
        if receipt.built is not None and receipt.built != choices:
            damage.append(
                Difference(
                    "", f"was built with {_words(receipt.built)}, and is wanted with {_words(choices)}"
                )
            )
        if recipe.installer is not None:
            damage += lacking(
                folder,
                recipe.bin,
                recipe.at(here).commands,
                recipe.manager.function if recipe.manager else None,
            )
        return msgspec.structs.replace(
            base, version=here, folder=folder, feed=receipt.feed, damage=tuple(damage),
            on=runs_on(name, here, recipe.on, below, workstation.file),
        )  # fmt: skip

    def _to_obtain(
        self, base: WantedVersion, release: Release, machine: Machine, below: list[str], kept: Release | None
    ) -> WantedVersion:
        """A version that is to come, or to come anew, with all that has to be known for that."""
        workstation, name, recipe = self._workstation, base.runtime, base.recipe
        runtime, want = workstation.manifest.tools[name], base.want
        family = machine.packages.family if machine.packages else ""
        base = msgspec.structs.replace(
            base,
            version=release.version,
            folder=workstation.locations.shelf / name / _folder_name(release.version),
            packages=names_for(recipe.needs.packages, family),
            licence=release.licence if not base.damage else "",
            licence_accepted=runtime.licence == "accepted",
            feed=release.feed,
            recipe_place=workstation.recipe_place(name),
            extras=self._extras(name, want, release.version),
        )
        if recipe.installer is not None:
            return placed(self._by_script(base, release))
        if runtime.through is None:
            source = self._offers.supply(name, release.feed, machine)
            base = msgspec.structs.replace(
                base,
                artefact=(
                    Artefact(kept.url, kept.digest)
                    if kept
                    else self._offers.artefact(release, source, f"{name} {release.version}", recipe)
                ),
                parts=parts_of(release, source, workstation, name),
                root=source.source.root if source.source else "",
                links=source.source.links if source.source else {},
                finish=source.source.finish if source.source else "",
            )
        pace = _pace(workstation, name) if release.source else None
        return placed(
            msgspec.structs.replace(
                base,
                channels=release.channels,
                ends=release.ends,
                unpinned_accepted=runtime.unpinned == "accepted",
                source=release.source,
                builds=_builds(workstation) if release.source else (),
                build_seconds=pace.seconds if pace else 60 * recipe.build.minutes if recipe.build else 0,
                built_before=pace is not None,
                earlier=self._earlier(name, release, machine),
                on=runs_on(name, release.version, recipe.on, below, workstation.file),
            )
        )

    def _by_script(self, base: WantedVersion, release: Release) -> WantedVersion:
        """A manager that its own installer brings. Raises ``UsageProblem`` where that is not what was
        reviewed.
        """
        name = base.runtime
        script = self._offers.script(name, release)
        digest = sha256(script)
        manager = self._workstation.manifest.managers[name]
        if manager.reviewed is not None and manager.reviewed != digest:
            raise UsageProblem(
                f"the installer of {name} {release.version} is not the one that was reviewed",
                where=f"reviewed {manager.reviewed}, now {digest}, from {release.url}",
                advice=(
                    f'read it with: zesty-anchor preview --script {name}   then write reviewed = "{digest}" '
                    f"in [managers.{name}]"
                ),
            )
        return msgspec.structs.replace(
            base,
            artefact=Artefact(release.url, digest, len(script)),
            script=script,
            reviewed=manager.reviewed is not None,
        )

    def _earlier(self, name: str, release: Release, machine: Machine) -> WantedVersion | None:
        """The version, of the same runtime or of another one, that building this one takes; it may itself be
        built.
        """
        build = self._workstation.recipes[name].build
        if not release.source or build is None or build.earlier is None:
            return None
        if not Want(build.earlier.from_).admits(Version(release.version), release.channels):
            return None
        locked = self._workstation.lock.get((name, to_build(release.version)))
        other = build.earlier.runtime or name
        own = self._resolver_of(other)
        pinned = (
            own._locked_release(msgspec.structs.replace(locked, runtime=other), machine)
            if locked
            else self.older(name, release, build.earlier, machine)
        )
        source = own._offers.supply(other, pinned.feed or release.feed, machine)
        return WantedVersion(
            runtime=other, version=pinned.version, want=build.earlier.want, default=False,
            folder=self._workstation.locations.shelf / other / _folder_name(pinned.version),
            recipe=own._workstation.recipes[other],
            feed=source.name, source=pinned.source, build=own._workstation.manifest.tools[other].build,
            artefact=own._offers.artefact(pinned, source, f"{other} {pinned.version}"),
            earlier=own._earlier(other, pinned, machine),
        )  # fmt: skip

    def _resolver_of(self, name: str) -> Resolver:
        """One that knows a runtime which something is built with, though the manifest does not name it."""
        workstation = self._workstation
        if name in workstation.manifest.tools:
            return self
        if name not in self._others:
            wider = with_builder(name, workstation)
            self._others[name] = Resolver(wider, Offers(wider))
        return self._others[name]

    def older(self, name: str, release: Release, earlier: Earlier, machine: Machine) -> Release:
        """The release that a version is built with. Raises ``UsageProblem`` where there is none."""
        if earlier.runtime is not None and earlier.runtime != name:
            asked = Asked(earlier.runtime, earlier.want, default=False, place=f"[build.earlier] of {name}")
            return self._resolver_of(earlier.runtime).release(asked, machine, {})
        older = [
            r for r in self._offers.releases(name, machine) if Version(r.version) < Version(release.version)
        ]
        chosen = choose(Want(earlier.want), older)
        if chosen is None:
            raise UsageProblem(
                f"{name} {release.version} is built with an earlier {name}, want {earlier.want!r}; there is"
                " none",
                where=f"[build.earlier] of the recipe of {name!r}",
                advice="choose a version that has a binary, or fix the recipe",
            )
        return self._offers.pinned(name, chosen, machine)

    def release(self, asked: Asked, machine: Machine, found: Found) -> Release:
        """The release to take for a want, pinned: an exact version from the first feed that has it, else the
        newest that fits of all feeds. Raises ``UsageProblem`` where nothing matches it.
        """
        name, want = asked.runtime, asked.want
        workstation = self._workstation
        manager = workstation.manifest.managers.get(name)
        coupled = workstation.recipes[name].on
        below = self._below(coupled, machine, found)

        def fits(release: Release) -> bool:
            return not release.lacking and may_run(coupled, release.version, below)

        for offered in self._offers.in_order(name, machine):
            if manager is not None and manager.script is not None:
                return self._offers.pinned(name, offered[0], machine)
            exact = next((r for r in offered if r.version == want and fits(r)), None)
            if exact is not None:
                return self._offers.pinned(name, exact, machine)
        every = self._offers.releases(name, machine)
        chosen = choose(Want(want), [release for release in every if fits(release)])
        if chosen is None:
            raise self._none(asked, every, below, machine)
        return self._offers.pinned(name, chosen, machine)

    def _none(self, asked: Asked, offered: list[Release], below: list[str], machine: Machine) -> Problem:
        """Why none of the versions that are offered will do, and the way out."""
        name, want = asked.runtime, asked.want
        coupled, file = self._workstation.recipes[name].on, self._workstation.file
        alone = choose(Want(want), offered)
        if alone is not None and not alone.lacking:
            runs_on(name, alone.version, coupled, below, file)  # raises: the pair is wrong
        close = nearest(want, (r.version for r in offered if not r.lacking))
        near = (
            f"the nearest: {', '.join(close)}"
            if close
            else f"the feed offers none for {machine.host.platform}"
        )
        what = f"no version of {name} matches {want!r}"
        if alone is not None:
            what = f"{name} {alone.version} cannot be had on this machine: {alone.lacking}"
        where = asked.place or str(file)
        feeds = self._offers.asked_for(name, machine)
        advice = f"{near}; {feeds}; zesty-anchor list {name} shows all" if feeds else near
        return UsageProblem(what, where=where, advice=advice)


def _words(choices: tuple[str, ...]) -> str:
    return " ".join(choices) or "no options"


def _builds(workstation: Workstation) -> tuple[Path, ...]:
    """The folders of the manifest's feeds of kind "folder"."""
    feeds = (feed for feed in workstation.manifest.feeds.values() if feed.kind == "folder" and feed.url)
    return tuple(Path(expand(feed.url or "", workstation.locations.home)) for feed in feeds)


def to_build(version: str) -> str:
    """The want under which the lock holds what a version is built with."""
    return f"to build {version}"


def _pace(workstation: Workstation, name: str) -> Pace | None:
    """How long the last build of a runtime took here; None where there was none."""
    from zesty_anchor.shelf.kept_builds import KeptBuilds

    return KeptBuilds(workstation.locations.builds).pace(name)


def placed(version: WantedVersion) -> WantedVersion:
    """A version with the commands that it has and its recipe's variables, now that its folder is known."""
    values = tuple(
        (k, refer(v, {"folder": str(version.folder)})) for k, v in version.recipe.variables.items()
    )
    return msgspec.structs.replace(version, recipe=version.recipe.at(version.version), variables=values)


def _folder_name(version: str) -> str:
    """A version as one folder name. Raises ``Problem`` for one that a feed uses to leave the shelf."""
    if "/" in version or version.startswith(".") or "\0" in version:
        raise Problem(
            f"the feed offers a version {version!r} that cannot be a folder's name",
            advice="tell whoever runs it",
        )
    return version


def _kept(workstation: Workstation, receipt: Receipt) -> Release | None:
    """The release of a version that is damaged, where what was fetched for it is kept whole: nobody has to be
    asked.
    """
    from zesty_anchor.shelf.download import kept_file

    kept = kept_file(workstation.locations.downloads, receipt.digest, receipt.url)
    built = workstation.recipes[receipt.runtime].build is not None
    if not receipt.digest or receipt.parts or built or not kept.is_file():
        return None
    return Release(receipt.version, receipt.url, receipt.digest, channels=receipt.channels, feed=receipt.feed)


def _absent(workstation: Workstation, base: WantedVersion, locked: str, known: Known) -> WantedVersion:
    """The version that stood there for a want, and stands there no more. Raises ``_NotThere`` where none ever
    did.
    """
    name, want = base.runtime, base.want
    before = next(((f, v) for (n, w, f), v in known.items() if (n, w) == (name, want)), None)
    if before is None or (locked and locked != before[1]):
        raise _NotThere
    feed, version = before
    folder = base.folder / version
    gone = Difference("", MISSING if not os.path.lexists(folder) else "has no readable slip of ours")
    extras = known_extras(workstation, name, {})
    return placed(
        msgspec.structs.replace(
            base, version=version, folder=folder, feed=feed, extras=extras, damage=(gone,)
        )
    )


def with_others(found: Iterable[WantedVersion]) -> tuple[WantedVersion, ...]:
    """These versions, each that is built with the default versions that its build uses. Pure."""
    versions = tuple(found)
    used = {name for version in versions for name in version.build.with_}
    defaults = {
        each.runtime: BuiltWith(each.runtime, each.version, each.folder, each.bins, each.variables)
        for each in versions
        if each.runtime in used and each.default
    }
    return tuple(
        msgspec.structs.replace(
            version, built_with=tuple(defaults[n] for n in version.build.with_ if n in defaults)
        )
        if version.build.with_
        else version
        for version in versions
    )
