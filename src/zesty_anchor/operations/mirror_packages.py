"""Packages of the operating system in a mirror: those that the manifest and its recipes need, with all that
they need, as a source that the package manager takes them from.
"""

from __future__ import annotations

from collections.abc import Collection
from pathlib import Path

import msgspec

from zesty_anchor.feeds.mirror import place_of
from zesty_anchor.planning.look import packages_for
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.system import apt_repository
from zesty_anchor.system.apt_repository import PackageFile, entries_in, entry_at
from zesty_anchor.system.host import host
from zesty_anchor.system.package_managers import package_manager
from zesty_anchor.system.problem import Problem
from zesty_anchor.system.signing import Signer

FOLDER = "packages"
KEY = f"{FOLDER}/key.asc"
_MOST_NAMED = 6


class SystemPackages(msgspec.Struct, frozen=True):
    """The ``files`` to bring into a mirror, and what is to be said of those that cannot be. ``told`` where
    they are all that is needed.
    """

    folder: Path
    signer: Signer | None = None
    told: bool = False
    files: tuple[PackageFile, ...] = ()
    notes: tuple[str, ...] = ()
    failed: tuple[str, ...] = ()

    @classmethod
    def of(cls, workstation: Workstation, folder: Path, signer: Signer | None) -> SystemPackages:
        """What the manifest needs of this system. Lists of packages are signed: without a key there are
        none.
        """
        here = host()
        names = packages_for(workstation, here.families)
        shown = ", ".join(sorted(names)[:_MOST_NAMED]) + (" …" if len(names) > _MOST_NAMED else "")
        if not names:
            return cls(folder, signer, told=bool(workstation.source.layers))
        if signer is None:
            return cls(folder, notes=(f"packages of the system (--key FILE adds them): {shown}",))
        manager = package_manager(here.families, workstation.environ)
        try:
            files = manager.files_of(names) if manager is not None else None
        except Problem as problem:
            return cls(folder, signer, failed=(f"packages of the system: {problem}",))
        if files is None:
            return cls(folder, signer, notes=(f"packages of the system (apt alone is supported): {shown}",))
        remote = tuple(each for each in files if each.url.startswith(("http://", "https://")))
        local = [each.name for each in files if each not in remote]
        notes = (f"packages that are not on a web server: {', '.join(local)}",) if local else ()
        return cls(folder, signer, True, remote, notes)

    @property
    def needed(self) -> set[str]:
        """The paths of packages that stay: where nobody tells what is needed, all that are there."""
        return {place_of(each.url) for each in self.files} if self.told else set(self._earlier())

    def _earlier(self) -> dict[str, str]:
        file = self.folder / FOLDER / "Packages"
        return entries_in(file.read_text("utf-8")) if file.is_file() else {}

    def lists(self, there: Collection[str]) -> dict[str, bytes]:
        """The lists of all packages that the mirror has, by their paths; ``there`` are the paths of its
        files. Those of earlier runs are in it as long as their files are.
        """
        assert self.signer is not None
        entries = {p: entry for p, entry in self._earlier().items() if (self.folder / p).is_file()}
        for each in self.files:
            path = place_of(each.url)
            if path in there:
                entries[path] = entry_at(each, path)
        if not entries:
            return {}
        made = apt_repository.lists(entries, self.signer.clear)
        return {
            **{f"{FOLDER}/{name}": content for name, content in made.items()},
            KEY: self.signer.public.encode(),
        }
