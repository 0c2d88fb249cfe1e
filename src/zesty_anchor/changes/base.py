"""What most changes have in common."""

from __future__ import annotations

from typing import ClassVar

import msgspec

from zesty_anchor.changes.change import Bench, Question, Record, Stage
from zesty_anchor.files.edit import Edit
from zesty_anchor.system.package_manager import Command


class BaseChange(msgspec.Struct, frozen=True):
    """A change that needs nothing first, no privilege, no answer, and fetches nothing."""

    kind: ClassVar[str]
    stage: ClassVar[Stage]
    privileged: ClassVar[bool] = False

    @property
    def needs(self) -> frozenset[str]:
        """See ``Change``."""
        return frozenset()

    @property
    def pending(self) -> bool:
        """See ``Change``."""
        return False

    @property
    def size(self) -> int | None:
        """See ``Change``."""
        return None

    @property
    def questions(self) -> tuple[Question, ...]:
        """See ``Change``."""
        return ()

    @property
    def commands(self) -> tuple[Command, ...]:
        """See ``Change``."""
        return ()


class FileChange(BaseChange, frozen=True):
    """A change of one text file of the person's or of ours. ``name`` is the file as a person reads it."""

    edit: Edit
    name: str

    @property
    def subject(self) -> str:
        """The file."""
        return self.name

    @property
    def action(self) -> str:
        """What is done to it."""
        return self.edit.action

    @property
    def key(self) -> str:
        """See ``Change``."""
        return f"{self.kind}:{self.name}"

    @property
    def detail(self) -> str:
        """The diff."""
        return self.edit.diff(self.name)

    def prepare(self, bench: Bench) -> Record:
        """See ``Change``."""
        return self.edit.prepare(bench)

    def carry_out(self, bench: Bench, record: Record) -> None:
        """See ``Change``."""
        self.edit.carry_out(bench, record)
