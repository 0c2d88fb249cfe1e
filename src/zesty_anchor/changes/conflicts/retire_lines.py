"""The change that takes an old install's statements out of a startup file."""

from __future__ import annotations

from collections.abc import Iterable
from typing import ClassVar

from zesty_anchor.changes.base import FileChange, FileTakeBack
from zesty_anchor.changes.bench import Bench
from zesty_anchor.changes.change import Stage
from zesty_anchor.changes.record import FileRecord
from zesty_anchor.changes.shells.readable import check_syntax
from zesty_anchor.files.edit import Edit
from zesty_anchor.manifest.wanted import Wanted
from zesty_anchor.survey.machine import Machine
from zesty_anchor.survey.startup.cutting import Spoken, spoken_of
from zesty_anchor.survey.startup.statement import without


class RetireLines(FileChange, frozen=True):
    """Cut the statements that exist for an old install alone. ``checker`` is the shell that must be able to read the rest."""

    checker: tuple[str, str] | None
    kind: ClassVar[str] = "conflict-lines"
    action: ClassVar[str] = "clean"
    stage: ClassVar[Stage] = Stage.CLEAR
    touches: ClassVar[frozenset[str]] = frozenset({"startup"})
    on_trial: ClassVar[bool] = True

    def prepare(self, bench: Bench) -> FileRecord:
        """Check the file that is to come with the shell's own ``-n``, then copy the present one to the attic."""
        if self.checker and self.edit.after is not None:
            check_syntax(self.checker, self.edit.file, self.edit.after)
        return FileChange.prepare(self, bench)


class RetireStatements(FileTakeBack):
    """The kind."""

    name = "conflict-lines"

    def look(self, wanted: Wanted, machine: Machine) -> list[Spoken]:
        """Have the statements of every startup file found that speak of what is to go, and judged by fresh shells."""
        if not wanted.removals and not wanted.stale_variables:
            return []
        return spoken_of(wanted.removals, wanted.stale_variables, machine)

    def plan(self, wanted: Wanted, facts: list[Spoken]) -> Iterable[RetireLines]:
        """An edit of each file in which something can be cut."""
        for spoken in facts:
            after = without(spoken.file.content or b"", spoken.statements)
            if after != spoken.file.content:
                edit = Edit(spoken.file, after)
                edit.check_writable()
                yield RetireLines(edit, spoken.name, spoken.checker)

    def notices(self, wanted: Wanted, facts: list[Spoken]) -> list[str]:
        """The statements that speak of an old install and stay, for a person to decide on."""
        return list(
            dict.fromkeys(
                f"{spoken.name}:{statement.line} mentions what is removed, and stays, since "
                + f"{statement.why or 'it does more'}: {(statement.text.splitlines() or [''])[0]}"
                for spoken in facts
                for statement in spoken.statements
                if not statement.serves
            )
        )
