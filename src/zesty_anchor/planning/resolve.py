"""From a manifest's wants to versions: those that stand on the shelf, else those that the feeds offer."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Mapping
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple

import msgspec

from zesty_anchor.feeds.release import Release, channels_of
from zesty_anchor.feeds.supply import Supply, supply_for
from zesty_anchor.files import own_folders
from zesty_anchor.manifest.lock import Locked, file_beside
from zesty_anchor.manifest.lock import read as read_lock
from zesty_anchor.manifest.model import Coupled, Earlier, Manifest, Recipe, names_for
from zesty_anchor.manifest.version import Version
from zesty_anchor.manifest.want import Want, nearest
from zesty_anchor.manifest.wanted import Artefact, WantedVersion, refer
from zesty_anchor.recipes import as_manager, check_clashes, recipe_for
from zesty_anchor.shelf.receipt import Receipt
from zesty_anchor.shelf.signature import SignatureRefused, check, issuer
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system.host import plain_environment
from zesty_anchor.system.locations import Locations
from zesty_anchor.system.problem import Problem, UsageProblem

if TYPE_CHECKING:
    from zesty_anchor.feeds.open import Feeds
    from zesty_anchor.shelf.manager import ManagerProgram

Known = Mapping[tuple[str, str, str], str]
"""The version that each (runtime, want, feed) was resolved to before."""


Found = Mapping[str, dict[str, WantedVersion]]
"""The versions resolved so far, by runtime and version."""


class Asked(NamedTuple):
    """One want of one runtime, and whether it is the default one."""

    runtime: str
    want: str
    default: bool


class NotProvisioned(Problem):
    """A check was asked of what is not there yet."""

    code = 4


class ManagerAbsent(Problem):
    """A manager was to be asked that does not stand yet."""


class Resolver:
    """Resolves the wants of one manifest. The network is used only where a want has no version on the shelf."""

    def __init__(
        self, manifest: Manifest, file: Path, locations: Locations, environ: Mapping[str, str], *, offline: bool = False
    ) -> None:
        self._manifest = manifest
        self._file = file
        self._locations = locations
        self._environ = environ
        self._feeds: Feeds | None = None
        self._offline = offline
        self.more: tuple[Asked, ...] = ()
        """Wants beside those of the manifest."""
        self.lock = read_lock(file_beside(file)) if file.name else {}
        self.recipes: dict[str, Recipe] = {
            name: recipe_for(name, manifest, locations.recipes, file) for name in manifest.tools
        }
        for name in manifest.managers:
            self.recipes[name] = as_manager(name, self.recipes[name], locations)
        if manifest.managers:
            check_clashes(manifest, self.recipes, file)
        self._listed: dict[str, list[Release]] = {}
        self._scripts: dict[str, bytes] = {}

    def versions(
        self, machine: Machine, known: Known, *, obtainable: bool = True, failing: dict[str, Problem] | None = None
    ) -> tuple[WantedVersion, ...]:
        """Every version that the manifest wants, the default of each runtime before those beside it.

        With ``failing``, what a manager cannot give is left out and its problem put in there, by runtime.

        Raises ``UsageProblem`` where nothing fulfils a want, ``Problem`` where a feed fails, and
        ``NotProvisioned`` where a version does not stand and may not be looked up (``obtainable`` is False).
        """
        found: dict[str, dict[str, WantedVersion]] = {name: {} for name in self._manifest.tools}
        tools = self._manifest.tools
        # Those that run on another runtime come after it: their version depends on its.
        for name in sorted(tools, key=lambda n: self.recipes[n].on is not None):
            runtime = tools[name]
            beside = (each.want for each in self.more if each.runtime == name)
            for place, want in enumerate((runtime.want, *runtime.also, *beside)):
                if want == "system":
                    continue
                try:
                    version = self._version(Asked(name, want, place == 0), machine, known, obtainable, found)
                except Problem as problem:
                    if failing is None or runtime.through is None:
                        raise
                    failing[name] = problem
                    continue
                found[name].setdefault(version.version, version)
        return tuple(version for versions in found.values() for version in versions.values())

    @property
    def of_system(self) -> tuple[str, ...]:
        """The commands of the runtimes that are left to the system."""
        system = [name for name, runtime in self._manifest.tools.items() if runtime.want == "system"]
        return tuple(command for name in system for command in self.recipes[name].commands[:1])

    def standing(self, name: str, machine: Machine, known: Known) -> str | None:
        """The version on the shelf that a runtime's default want means, if it is there."""
        want = self._manifest.tools[name].want
        locked = self.lock.get((name, want))
        return self._standing(name, want, self.supply(name, machine), machine, known, locked)

    def meant(self, name: str, want: str, machine: Machine, known: Known) -> list[str]:
        """The installed versions that a want stands for: the one it means, without asking a feed."""
        supply = self.supply(name, machine)
        standing = self._standing(name, want, supply, machine, known, self.lock.get((name, want)))
        return [standing] if standing else []

    def releases(self, name: str, machine: Machine) -> list[Release]:
        """Everything that a runtime's feed, or its manager, offers for this machine. Raises ``Problem`` where it fails."""
        through = self._manifest.tools[name].through
        if through is not None:
            return self._listed_by(through, name, machine)
        manager = self._manifest.managers.get(name)
        if manager is not None and manager.script is not None:
            return [Release(version=manager.want, url=manager.script.replace("{version}", manager.want), digest="")]
        return self._opened().releases(self.supply(name, machine), self.recipes[name], machine.host.platform)

    def _listed_by(self, manager: str, name: str, machine: Machine) -> list[Release]:
        if name not in self._listed:
            offered = self.manager(manager, machine).versions(name)
            self._listed[name] = [
                Release(
                    version=version, url="", digest="", channels=channels + channels_of(version, self.recipes[name])
                )
                for version, channels in offered
            ]
        return self._listed[name]

    def manager(self, name: str, machine: Machine) -> ManagerProgram:
        """A manager that stands on the shelf. Raises ``ManagerAbsent`` where it does not."""
        recipe = self.recipes[name]
        known = [v for n, v in machine.shelf if n == name]
        version = max(known, key=Version, default=None)
        if version is None or recipe.manager is None:
            raise ManagerAbsent(f"{name} is not installed yet", advice="run: zesty-anchor provision")
        folder = self._locations.shelf / name / version
        bins = tuple(folder / part for part in recipe.bin)
        variables = {k: refer(v, {"folder": str(folder)}) for k, v in recipe.variables.items()}
        from zesty_anchor.shelf.manager import ManagerProgram

        return ManagerProgram(
            name=name, tool=recipe.manager, bins=bins, home=self._locations.home,
            environment={**plain_environment(self._locations.home, bins), **variables},
        )  # fmt: skip

    def script(self, name: str, machine: Machine) -> tuple[str, bytes]:
        """The version of a manager that would be installed, and its installer. Raises ``UsageProblem`` where it has none."""
        if name not in self._manifest.managers or self.recipes[name].installer is None:
            with_one = [n for n in self._manifest.managers if self.recipes[n].installer is not None]
            raise UsageProblem(
                f"no manager {name!r} of this manifest is brought by a script",
                where=str(self._file),
                advice=f"these are: {', '.join(with_one)}" if with_one else "there is nothing to review",
            )
        release = self.release(Asked(name, self._manifest.managers[name].want, True), machine, {})
        return release.version, self._script_of(name, release)

    def _script_of(self, name: str, release: Release) -> bytes:
        """The text of an installer, checked against the digest that its feed gives."""
        if release.url not in self._scripts:
            self._scripts[release.url] = self._opened().web.document(release.url, who=f"whoever offers {name}")[1]
        content = self._scripts[release.url]
        algorithm = release.digest.partition(":")[0] or "sha256"
        found = f"{algorithm}:{hashlib.new(algorithm, content).hexdigest()}"
        if release.digest and found != release.digest:
            raise Problem(
                f"the installer of {name} {release.version} has another digest than expected",
                where=f"expected {release.digest}, got {found}, from {release.url}",
                advice="nothing of it was run. It was damaged or replaced: tell whoever offers it, do not go around it",
            )
        return content

    def licence_text(self, name: str, machine: Machine) -> str:
        """The licence of the version that a runtime's default want takes. Raises ``Problem`` where there is none."""
        release = Want(self._manifest.tools[name].want).choose(self.releases(name, machine))
        if release is None or not release.licence:
            raise Problem(
                f"{name} {release.version if release else ''} comes under no licence that must be accepted",
                advice=f"zesty-anchor list {name} shows its versions",
            )
        if not release.licence_url:
            return f"{name} {release.version}: {release.licence} (the feed gives no text of it)"
        return self._opened().web.text(release.licence_url, who=f"the feed of {name!r}")

    def open_body(self, url: str, who: str) -> Any:
        """Open an address for download; see ``Bench.open_body``."""
        return self._opened().body(url, who)

    @property
    def ages(self) -> dict[str, float]:
        """Offline: how old, in seconds, the answers are that were used, by who gave them."""
        return self._feeds.web.ages if self._feeds else {}

    def forget_answers(self) -> None:
        """Ask the feeds anew: their answers are kept by product, and another platform may have other files in them."""
        self._feeds = None

    def _opened(self) -> Feeds:
        if self._feeds is None:
            from zesty_anchor.feeds.documents import Web
            from zesty_anchor.feeds.open import Feeds

            own_folders.make(self._locations.answers)
            web = Web(self._locations.answers, offline=self._offline)
            self._feeds = Feeds(self._environ, self._locations.home, web)
        return self._feeds

    def supply(self, name: str, machine: Machine) -> Supply:
        """Where a runtime's versions come from."""
        return supply_for(name, self._manifest, self.recipes[name], machine.host.platform, self._file.parent)

    def _version(self, asked: Asked, machine: Machine, known: Known, obtainable: bool, found: Found) -> WantedVersion:
        name, want = asked.runtime, asked.want
        recipe, runtime, supply = self.recipes[name], self._manifest.tools[name], self.supply(name, machine)
        folder = self._locations.shelf / name
        base = WantedVersion(
            runtime=name, version="", want=want, default=asked.default, folder=folder, recipe=recipe, feed=supply.name,
            extras=runtime.extras, build=runtime.build, through=runtime.through or "",
            home=Path(recipe.manager.home) if recipe.manager and recipe.manager.home else None,
        )  # fmt: skip
        locked = self.lock.get((name, want))
        standing = self._standing(name, want, supply, machine, known, locked)
        if standing is not None:
            on = self._on(name, standing, found)
            return self._placed(msgspec.structs.replace(base, version=standing, folder=folder / standing, on=on))
        if not obtainable:
            raise NotProvisioned(
                f"{name} {want!r} is not installed", where=str(self._file), advice="run: zesty-anchor provision"
            )
        moved = self._moved(name, want, machine, known)
        if runtime.through is not None and not any(n == runtime.through for n, _ in machine.shelf):
            version = locked.version if locked else moved or want
            return self._placed(msgspec.structs.replace(base, version=version, folder=folder / version, pending=True))
        if locked:
            release = self._locked_release(locked, machine)
        elif moved and any(r.version == moved for r in self.releases(name, machine)):
            release = self.release(Asked(name, moved, asked.default), machine, found)
        else:
            release = self.release(asked, machine, found)
        family = machine.packages.family if machine.packages else ""
        base = msgspec.structs.replace(
            base,
            version=release.version,
            folder=folder / _folder_name(release.version),
            packages=names_for(recipe.needs.packages, family),
            licence=release.licence,
            licence_accepted=runtime.licence == "accepted",
        )
        if recipe.installer is not None:
            return self._placed(self._by_script(base, release))
        return self._placed(
            msgspec.structs.replace(
                base,
                channels=release.channels,
                artefact=None if runtime.through else self._artefact(release, supply, f"{name} {release.version}"),
                unpinned_accepted=runtime.unpinned == "accepted",
                source=release.source,
                earlier=self._earlier(name, release, machine),
                on=self._on(name, release.version, found),
            )
        )

    def _by_script(self, base: WantedVersion, release: Release) -> WantedVersion:
        """A manager that its own installer brings. Raises ``UsageProblem`` where that is not what was reviewed."""
        name = base.runtime
        script = self._script_of(name, release)
        digest = _sha256(script)
        manager = self._manifest.managers[name]
        if manager.reviewed is not None and manager.reviewed != digest:
            raise UsageProblem(
                f"the installer of {name} {release.version} is not the one that was reviewed",
                where=f"reviewed {manager.reviewed}, now {digest}, from {release.url}",
                advice=f'read it with: zesty-anchor preview --script {name}   then write reviewed = "{digest}" '
                f"in [managers.{name}]",
            )
        return msgspec.structs.replace(
            base,
            artefact=Artefact(release.url, digest, len(script)),
            script=script,
            reviewed=manager.reviewed is not None,
        )

    @staticmethod
    def _moved(name: str, want: str, machine: Machine, known: Known) -> str | None:
        """The version that a want meant while the runtime came another way: it is kept, where it can be."""
        before = (v for (n, w, _), v in known.items() if (n, w) == (name, want) and (n, v) in machine.shelf)
        exact = want if (name, want) in machine.shelf else None
        return exact or next(before, None)

    @staticmethod
    def _placed(version: WantedVersion) -> WantedVersion:
        """A version with its recipe's variables, now that its folder is known."""
        values = tuple((k, refer(v, {"folder": str(version.folder)})) for k, v in version.recipe.variables.items())
        return msgspec.structs.replace(version, variables=values)

    def _earlier(self, name: str, release: Release, machine: Machine) -> WantedVersion | None:
        """The earlier version that building this one takes; it may itself be built."""
        build = self.recipes[name].build
        if not release.source or build is None or build.earlier is None:
            return None
        if not Want(build.earlier.from_).admits(Version(release.version), release.channels):
            return None
        supply = self.supply(name, machine)
        locked = self.lock.get((name, to_build(release.version)))
        pinned = self._locked_release(locked, machine) if locked else self.older(name, release, build.earlier, machine)
        return WantedVersion(
            runtime=name, version=pinned.version, want=build.earlier.want, default=False,
            folder=self._locations.shelf / name / _folder_name(pinned.version), recipe=self.recipes[name],
            feed=supply.name, source=pinned.source, build=self._manifest.tools[name].build,
            artefact=self._artefact(pinned, supply, f"{name} {pinned.version}"),
            earlier=self._earlier(name, pinned, machine),
        )  # fmt: skip

    def older(self, name: str, release: Release, earlier: Earlier, machine: Machine) -> Release:
        """The release that a version is built with. Raises ``UsageProblem`` where there is none."""
        older = [r for r in self.releases(name, machine) if Version(r.version) < Version(release.version)]
        chosen = Want(earlier.want).choose(older)
        if chosen is None:
            raise UsageProblem(
                f"{name} {release.version} is built with an earlier {name}, want {earlier.want!r}; there is none",
                where=f"[build.earlier] of the recipe of {name!r}",
                advice="choose a version that has a binary, or mend the recipe",
            )
        return self._opened().feed(self.supply(name, machine)).pinned(chosen)

    def _on(self, name: str, version: str, found: Found) -> str:
        """The version of another runtime that a version runs on, as ``NAME VERSION``; empty where it needs none.

        Raises ``UsageProblem`` where the manifest wants no version that fits.
        """
        coupled = self.recipes[name].on
        line = _line_below(coupled, version)
        if coupled is None or not line:
            return ""
        below = found.get(coupled.runtime, {})
        fitting = [v for v in below if Version(v).begins_with(Version(line))]
        if not fitting:
            there = ", ".join(below) or "none"
            raise UsageProblem(
                f"{name} {version} runs on {coupled.runtime} {line}, and the manifest wants {coupled.runtime} {there}",
                where=str(self._file),
                advice=f'write want = "{line}" (or also = ["{line}"]) in [runtimes.{coupled.runtime}], '
                f"or choose another {name}",
            )
        return f"{coupled.runtime} {fitting[0]}"

    def _artefact(self, release: Release, supply: Supply, subject: str) -> Artefact:
        """What is fetched, with the signature that it must bear. Raises ``Problem`` where it bears none, or a bad one."""
        plain = Artefact(release.url, release.digest, release.size)
        if supply.unsigned or (supply.key is None and not release.signature):
            return plain
        who = f"the feed {supply.name!r}"
        if not release.signature:
            raise SignatureRefused(
                f"{subject} is not signed, and the manifest names a key for {who}",
                where=release.url,
                advice=f"choose a signed version; if that feed signs nothing, say so: [feeds.{supply.name}] "
                'signature = "not offered" in place of key',
            )
        signature = self._opened().web.document(release.signature, who=who)[1]
        if supply.key is None:
            by = issuer(signature, subject) or "a key that it does not name"
            raise SignatureRefused(
                f"{subject} is signed with the key {by}, and the manifest names no key for {who}",
                where=release.signature,
                advice=f"save that key, from a place that you trust, and add: [feeds.{supply.name}] "
                f'key = "keys/{supply.name}.asc"',
            )
        if release.sums:
            listed = self._opened().web.document(release.sums, who=who)[1]
            check(signature, supply.key, f"the list of digests of {who}", content=listed)
            return plain
        return msgspec.structs.replace(plain, signature=signature, key=supply.key)

    def _standing(
        self, name: str, want: str, supply: Supply, machine: Machine, known: Known, locked: Locked | None
    ) -> str | None:
        """The version on the shelf that a want means: the locked one, or the exact one, or what it meant before.

        Raises ``UsageProblem`` where the locked one stands there with other bytes than the lock says.
        """
        if locked is None:
            meant = (want, known.get((name, want, supply.name), ""))
            return next((version for version in meant if self._here(name, version, machine)), None)
        receipt = self._here(name, locked.version, machine)
        file = locked.files.get(machine.host.platform)
        if receipt is not None and file is not None and file.digest and receipt.digest != file.digest:
            raise UsageProblem(
                f"{name} {locked.version} on the shelf has another digest than the lock",
                where=f"{receipt.digest} there, {file.digest} in the lock",
                advice=f"if the lock is right: zesty-anchor remove {name} {locked.version}, then provision",
            )
        return locked.version if receipt is not None else None

    def _here(self, name: str, version: str, machine: Machine) -> Receipt | None:
        """The receipt of a version on the shelf that came the way which the manifest says: from a feed, or a manager."""
        receipt = machine.shelf.get((name, version))
        return receipt if receipt and receipt.through == (self._manifest.tools[name].through or "") else None

    def release(self, asked: Asked, machine: Machine, found: Found) -> Release:
        """The release to take for a want, pinned. Raises ``UsageProblem`` where nothing fulfils it."""
        name, want = asked.runtime, asked.want
        manager = self._manifest.managers.get(name)
        if manager is not None and manager.script is not None:
            release = self.releases(name, machine)[0]
            return msgspec.structs.replace(release, digest=_sha256(self._script_of(name, release)))
        offered = self.releases(name, machine)
        chosen = Want(want).choose([r for r in offered if self._may_run(name, r.version, found)])
        alone = Want(want).choose(offered)
        if chosen is None and alone is not None:
            self._on(name, alone.version, found)  # raises: the pair is wrong
        if chosen is None:
            close = nearest(want, (r.version for r in offered))
            near = f"the nearest: {', '.join(close)}" if close else f"the feed offers none for {machine.host.platform}"
            raise UsageProblem(
                f"no version of {name} fulfils {want!r}",
                where=str(self._file),
                advice=f"{near}; zesty-anchor list {name} shows all",
            )
        through = self._manifest.tools[name].through is not None
        return chosen if through else self._opened().feed(self.supply(name, machine)).pinned(chosen)

    def _may_run(self, name: str, version: str, found: Found) -> bool:
        """Whether the manifest wants what a version runs on."""
        coupled = self.recipes[name].on
        line = _line_below(coupled, version)
        return (
            coupled is None or not line
            or any(Version(v).begins_with(Version(line)) for v in found.get(coupled.runtime, {}))
        )  # fmt: skip

    def _locked_release(self, locked: Locked, machine: Machine) -> Release:
        file = locked.files.get(machine.host.platform)
        if file is None:
            raise UsageProblem(
                f"the lock has no file of {locked.runtime} {locked.version} for {machine.host.platform}",
                where=str(file_beside(self._file)),
                advice=f"add it with: zesty-anchor lock --platform {machine.host.platform}",
            )
        return Release(
            version=locked.version, url=file.url, digest=file.digest, size=file.size, channels=locked.channels,
            licence=locked.licence, signature=file.signature, source=file.source,
        )  # fmt: skip


def to_build(version: str) -> str:
    """The want under which the lock holds what a version is built with."""
    return f"to build {version}"


def _sha256(content: bytes) -> str:
    return f"sha256:{hashlib.sha256(content).hexdigest()}"


def _line_below(coupled: Coupled | None, version: str) -> str:
    """The line of the other runtime that a version names in its own; empty where it names none."""
    found = re.search(coupled.version, version) if coupled else None
    return found[1] if found else ""


def _folder_name(version: str) -> str:
    """A version as one folder name. Raises ``Problem`` for one that a feed uses to leave the shelf."""
    if "/" in version or version.startswith(".") or "\0" in version:
        raise Problem(
            f"the feed offers a version {version!r} that cannot be a folder's name", advice="tell whoever runs it"
        )
    return version
