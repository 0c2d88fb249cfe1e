"""The change that takes a version off the shelf, into the attic."""

from __future__ import annotations

import os
from collections.abc import Iterable
from pathlib import Path
from typing import ClassVar

from zesty_anchor.changes.conflicts.retire_folder import BaseRetireFolders, RetireFolder
from zesty_anchor.changes.heading import Heading
from zesty_anchor.manifest.wanted import Wanted
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system.locations import Locations


class RemoveVersion(RetireFolder, frozen=True):
    """Take one version off the shelf."""

    kind: ClassVar[str] = "removed-version"
    action: ClassVar[str] = "remove"


def removing(locations: Locations, folder: Path) -> list[RemoveVersion]:
    """What removes the version in a folder of the shelf: also what a manager keeps, where it is a link to
    that.
    """
    changes = [RemoveVersion(folder, f"{folder.parent.name} {folder.name}")]
    if folder.is_symlink():
        real = Path(os.path.realpath(folder))
        changes.append(RemoveVersion(real, locations.shown(real)))
    return changes


class RemovedVersions(BaseRetireFolders):
    """The kind. It is never planned from a manifest: a person asks for it."""

    name = "removed-version"
    heading = Heading.REMOVAL

    def look(self, wanted: Wanted, machine: Machine) -> None:
        """Nothing."""

    def plan(self, wanted: Wanted, facts: None) -> Iterable[RemoveVersion]:
        """None."""
        return ()
