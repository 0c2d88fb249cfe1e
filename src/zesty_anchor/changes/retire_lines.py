"""The change that takes an old install's statements out of a startup file."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import ClassVar

from zesty_anchor.changes.base import FileChange
from zesty_anchor.changes.change import Bench, Record, Stage
from zesty_anchor.changes.text_file import Edit, put_back
from zesty_anchor.manifest.wanted import Wanted
from zesty_anchor.survey.machine import Machine
from zesty_anchor.survey.statements import Statement, statements_about, without
from zesty_anchor.survey.text_file import TextFile


class RetireLines(FileChange, frozen=True):
    """Cut the statements that exist for an old install alone."""

    kind: ClassVar[str] = "conflict-lines"
    action: ClassVar[str] = "clean"
    stage: ClassVar[Stage] = Stage.CLEAR


class RetireStatements:
    """The kind."""

    name = "conflict-lines"

    def plan(self, wanted: Wanted, machine: Machine) -> Iterable[RetireLines]:
        """See ``Kind``."""
        for file in machine.startup.values():
            content = file.content
            for found in _about(file, wanted, machine):
                content = without(content or b"", found)
            if content != file.content:
                edit = Edit(file, content)
                edit.check_writable()
                yield RetireLines(edit, machine.locations.shown(file.path))

    def take_back(self, record: Record, bench: Bench) -> Sequence[str]:
        """See ``Kind``."""
        return put_back(record)


def undecided(wanted: Wanted, machine: Machine) -> list[tuple[str, Statement]]:
    """The statements that mention an old install and do more: not cut, but for a person to decide on."""
    return [
        (machine.locations.shown(file.path), statement)
        for file in machine.startup.values()
        for found in _about(file, wanted, machine)
        for statement in found
        if not statement.serves
    ]


def _about(file: TextFile, wanted: Wanted, machine: Machine) -> Iterable[list[Statement]]:
    """The statements about each folder to be removed; each list refers to the file without those before it."""
    content = file.content
    for folder in wanted.removals if content else ():
        found = statements_about(content or b"", folder, machine.locations.home)
        yield found
        content = without(content or b"", found)
