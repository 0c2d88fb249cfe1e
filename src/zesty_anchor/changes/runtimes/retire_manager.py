"""The change that takes a manager into the attic, which the manifest no longer has, with what it installed."""

from __future__ import annotations

import os
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import ClassVar

from zesty_anchor.changes.change import Question
from zesty_anchor.changes.conflicts.retire_folder import RetireFolder, RetireFolders
from zesty_anchor.manifest.wanted import Wanted
from zesty_anchor.survey.machine import Machine


class RetireManager(RetireFolder, frozen=True):
    """Move one of its folders. ``whole`` tells that the manager goes, and not just an older version of it."""

    manager: str
    whole: bool
    kind: ClassVar[str] = "retired-manager"

    @property
    def questions(self) -> tuple[Question, ...]:
        """Once for all of its folders."""
        if not self.whole:
            return ()
        text = f"the manifest no longer has the manager {self.manager}: shall it go to the attic, with all that it installed?"
        return (Question("manager", text, f"--yes, or keep [managers.{self.manager}]", safe=True),)


class RetiredManagers(RetireFolders):
    """The kind."""

    name = "retired-manager"

    def plan(self, wanted: Wanted, machine: Machine) -> Iterable[RetireManager]:
        """See ``Kind``. Of a manager that stays, versions that gave way to a newer one go."""
        shelf = machine.locations.shelf
        for (name, folder), receipt in machine.shelf.items():
            if receipt.home is None:
                continue
            standing = wanted.managers.get(name)
            # Where its own installer brings it, an upgrade takes the older one's place itself.
            if standing is not None and standing.folder.name != folder and not standing.recipe.installer:
                yield self._retire(shelf / name / folder, name, machine, whole=False)
            elif name not in wanted.recipes:
                for place in _places(name, shelf / name / folder, receipt.home, machine):
                    yield self._retire(place, name, machine, whole=True)

    @staticmethod
    def _retire(place: Path, name: str, machine: Machine, *, whole: bool) -> RetireManager:
        return RetireManager(place, machine.locations.shown(place), name, whole)


def _places(name: str, folder: Path, home: str, machine: Machine) -> Iterator[Path]:
    """What goes: the links of the versions that it installed, its own folder, and its home; none inside another."""
    shelf = machine.locations.shelf
    for (runtime, version), receipt in machine.shelf.items():
        if receipt.through == name:
            yield shelf / runtime / version
    yield folder
    own = [os.path.realpath(folder)] if folder.is_symlink() else []
    outer = [path for path in (*own, home) if os.path.lexists(path)]
    for path in dict.fromkeys(outer):
        if not any(path.startswith(f"{other}/") for other in outer):
            yield Path(path)
