"""The change that takes a version off the shelf, into the attic."""

from __future__ import annotations

from collections.abc import Iterable
from typing import ClassVar

from zesty_anchor.changes.conflicts.retire_folder import BaseRetireFolders, RetireFolder
from zesty_anchor.changes.heading import Heading
from zesty_anchor.manifest.wanted import Wanted
from zesty_anchor.survey.machine import Machine


class RemoveVersion(RetireFolder, frozen=True):
    """Take one version off the shelf."""

    kind: ClassVar[str] = "removed-version"
    action: ClassVar[str] = "remove"


class RemovedVersions(BaseRetireFolders):
    """The kind. It is never planned from a manifest: a person asks for it."""

    name = "removed-version"
    heading = Heading.REMOVAL

    def look(self, wanted: Wanted, machine: Machine) -> None:
        """Nothing."""

    def plan(self, wanted: Wanted, facts: None) -> Iterable[RemoveVersion]:
        """None."""
        return ()
