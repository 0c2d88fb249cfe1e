"""The change that edits a person's file so that a check passes; they have agreed to it."""

from __future__ import annotations

from collections.abc import Iterable
from typing import ClassVar

from zesty_anchor.changes.base import FileChange, FileTakeBack
from zesty_anchor.changes.change import Stage
from zesty_anchor.changes.heading import Heading
from zesty_anchor.manifest.wanted import Wanted
from zesty_anchor.survey.machine import Machine


class Repair(FileChange, frozen=True):
    """Edit one file."""

    kind: ClassVar[str] = "repair"
    stage: ClassVar[Stage] = Stage.SHELL
    touches: ClassVar[frozenset[str]] = frozenset({"startup", "sourced"})


class Repairs(FileTakeBack):
    """The kind. It is never planned from a manifest: ``verify --fix`` asks for it."""

    name = "repair"
    heading = Heading.STARTUP

    def look(self, wanted: Wanted, machine: Machine) -> None:
        """Nothing."""

    def plan(self, wanted: Wanted, facts: None) -> Iterable[Repair]:
        """None."""
        return ()
