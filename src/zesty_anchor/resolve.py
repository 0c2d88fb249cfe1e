"""From a manifest's wants to versions: those that stand on the shelf, else those that the feeds offer."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import TYPE_CHECKING, Any

from zesty_anchor.feeds.supply import Supply, supply_for
from zesty_anchor.manifest.model import Manifest, Recipe, names_for
from zesty_anchor.manifest.want import Want, nearest
from zesty_anchor.manifest.wanted import Artefact, WantedVersion
from zesty_anchor.problem import Problem, UsageProblem
from zesty_anchor.recipes import recipe_for
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system import own_folders
from zesty_anchor.system.locations import Locations

if TYPE_CHECKING:
    from zesty_anchor.feeds.open import Feeds
    from zesty_anchor.feeds.release import Release

Known = Mapping[tuple[str, str, str], str]
"""The version that each (runtime, want, feed) was resolved to before."""


class NotProvisioned(Problem):
    """A check was asked of what is not there yet."""

    code = 4


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
        self.recipes: dict[str, Recipe] = {
            name: recipe_for(name, manifest, locations.recipes, file) for name in manifest.runtimes
        }

    def versions(self, machine: Machine, known: Known, *, obtainable: bool = True) -> tuple[WantedVersion, ...]:
        """Every version that the manifest wants, the default of each runtime before those beside it.

        Raises ``UsageProblem`` where nothing fulfils a want, ``Problem`` where a feed fails, and
        ``NotProvisioned`` where a version does not stand and may not be looked up (``obtainable`` is False).
        """
        versions: dict[tuple[str, str], WantedVersion] = {}
        for name, runtime in self._manifest.runtimes.items():
            for place, want in enumerate((runtime.want, *runtime.also)):
                found = self._version(name, want, place == 0, machine, known, obtainable)
                versions.setdefault((name, found.version), found)
        return tuple(versions.values())

    def standing(self, name: str, machine: Machine, known: Known) -> str | None:
        """The version on the shelf that a runtime's default want means, if it is there."""
        return self._standing(name, self._manifest.runtimes[name].want, self._supply(name, machine), machine, known)

    def releases(self, name: str, machine: Machine) -> list[Release]:
        """Everything that a runtime's feed offers for this machine. Raises ``Problem`` where the feed fails."""
        return self._opened().releases(self._supply(name, machine), self.recipes[name], machine.host.platform)

    def open_body(self, url: str, who: str) -> Any:
        """Open an address for download; see ``Bench.open_body``."""
        return self._opened().body(url, who)

    @property
    def ages(self) -> dict[str, float]:
        """Offline: how old, in seconds, the answers are that were used, by who gave them."""
        return self._feeds.web.ages if self._feeds else {}

    def _opened(self) -> Feeds:
        if self._feeds is None:
            from zesty_anchor.feeds.open import Feeds
            from zesty_anchor.feeds.web import Web, session

            own_folders.make(self._locations.answers)
            web = Web(session(), self._locations.answers, offline=self._offline)
            self._feeds = Feeds(self._environ, self._locations.home, web)
        return self._feeds

    def _supply(self, name: str, machine: Machine) -> Supply:
        return supply_for(name, self._manifest, self.recipes[name], machine.host.platform, self._file.parent)

    def _version(
        self, name: str, want: str, default: bool, machine: Machine, known: Known, obtainable: bool
    ) -> WantedVersion:
        recipe, runtime, supply = self.recipes[name], self._manifest.runtimes[name], self._supply(name, machine)
        folder = self._locations.shelf / name
        standing = self._standing(name, want, supply, machine, known)
        if standing is not None:
            return WantedVersion(name, standing, want, default, folder / standing, recipe, supply.name)
        if not obtainable:
            raise NotProvisioned(
                f"{name} {want!r} is not installed", where=str(self._file), advice="run: zesty-anchor provision"
            )
        release = self._release(name, want, machine)
        family = machine.packages.family if machine.packages else ""
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
            packages=names_for(recipe.needs.packages, family),
            licence=release.licence,
            licence_accepted=runtime.licence == "accepted",
            unpinned_accepted=runtime.unpinned == "accepted",
        )

    @staticmethod
    def _standing(name: str, want: str, supply: Supply, machine: Machine, known: Known) -> str | None:
        """The version on the shelf that a want means: the exact one, or the one it was resolved to before."""
        for version in (want, known.get((name, want, supply.name), "")):
            if (name, version) in machine.shelf:
                return version
        return None

    def _release(self, name: str, want: str, machine: Machine) -> Release:
        offered = self.releases(name, machine)
        chosen = Want(want).choose(offered)
        if chosen is None:
            close = nearest(want, (r.version for r in offered))
            near = f"the nearest: {', '.join(close)}" if close else f"the feed offers none for {machine.host.platform}"
            raise UsageProblem(
                f"no version of {name} fulfils {want!r}",
                where=str(self._file),
                advice=f"{near}; zesty-anchor list {name} shows all",
            )
        return self._opened().feed(self._supply(name, machine)).pinned(chosen)


def _folder_name(version: str) -> str:
    """A version as one folder name. Raises ``Problem`` for one that a feed uses to leave the shelf."""
    if "/" in version or version.startswith(".") or "\0" in version:
        raise Problem(
            f"the feed offers a version {version!r} that cannot be a folder's name", advice="tell whoever runs it"
        )
    return version
