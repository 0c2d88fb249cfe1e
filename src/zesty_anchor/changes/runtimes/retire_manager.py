"""The change that takes a manager into the attic, which the manifest no longer has, with what it
installed.
"""

from __future__ import annotations

import os
from collections.abc import Iterable, Iterator, Mapping
from pathlib import Path
from typing import ClassVar

import msgspec

from zesty_anchor.changes.conflicts.retire_folder import BaseRetireFolders, RetireFolder
from zesty_anchor.changes.heading import Heading
from zesty_anchor.changes.question import Question
from zesty_anchor.manifest.wanted import Wanted
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system.locations import Locations


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
        text = (
            f"the manifest no longer has the manager {self.manager}: shall it go to the attic, with all that"
            " it installed?"
        )
        return (Question("manager", text, f"--yes, or keep [managers.{self.manager}]", safe=True),)


class ManagerPlaces(msgspec.Struct, frozen=True):
    """The managers on the shelf: by name and folder, the places that go where the whole manager goes."""

    places: Mapping[tuple[str, str], tuple[Path, ...]]
    locations: Locations


class RetiredManagers(BaseRetireFolders):
    """The kind."""

    name = "retired-manager"
    heading = Heading.REMOVAL

    def look(self, wanted: Wanted, machine: Machine) -> ManagerPlaces:
        """Find the places of each manager."""
        shelf = machine.locations.shelf
        found = {
            (name, folder): tuple(_places(name, shelf / name / folder, receipt.home, machine))
            for (name, folder), receipt in machine.shelf.items()
            if receipt.home is not None
        }
        return ManagerPlaces(found, machine.locations)

    def plan(self, wanted: Wanted, facts: ManagerPlaces) -> Iterable[RetireManager]:
        """All places of a manager that the manifest no longer has; of one that stays, versions that gave way
        to a newer one.
        """
        for (name, folder), places in facts.places.items():
            standing = wanted.managers.get(name)
            # Where its own installer brings it, an upgrade takes the older one's place itself.
            if standing is not None and standing.folder.name != folder and not standing.recipe.installer:
                yield self._retire(facts.locations.shelf / name / folder, name, facts.locations, whole=False)
            elif name not in wanted.recipes:
                for place in places:
                    yield self._retire(place, name, facts.locations, whole=True)

    @staticmethod
    def _retire(place: Path, name: str, locations: Locations, *, whole: bool) -> RetireManager:
        return RetireManager(place, locations.shown(place), name, whole)


def _places(name: str, folder: Path, home: str, machine: Machine) -> Iterator[Path]:
    """What goes: the links of the versions that it installed, its own folder, and its home; none inside
    another.
    """
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
