"""The change that takes an old install's statements out of a startup file."""

from __future__ import annotations

import os
from collections.abc import Iterable, Sequence
from pathlib import Path
from typing import ClassVar

import msgspec

from zesty_anchor.changes.base import FileChange, FileTakeBack
from zesty_anchor.changes.bench import Bench
from zesty_anchor.changes.change import Stage
from zesty_anchor.changes.conflicts.retire_folder import programs_in
from zesty_anchor.changes.heading import Heading
from zesty_anchor.changes.record import FileRecord
from zesty_anchor.changes.shells.readable import check_syntax
from zesty_anchor.files.edit import Edit
from zesty_anchor.manifest.wanted import Wanted
from zesty_anchor.survey.machine import Machine
from zesty_anchor.survey.mentions import Mention, mentions
from zesty_anchor.survey.startup.cutting import Spoken, judged_files, removable, spoken_of
from zesty_anchor.survey.startup.statement import without


class RetireLines(FileChange, frozen=True):
    """Cut the statements that exist for an old install alone. ``checker`` is the shell that must be able to
    read the rest.
    """

    checker: tuple[str, str] | None
    programs: frozenset[str] = frozenset()
    kind: ClassVar[str] = "conflict-lines"
    action: ClassVar[str] = "clean"
    stage: ClassVar[Stage] = Stage.CLEAR
    touches: ClassVar[frozenset[str]] = frozenset({"startup"})
    on_trial: ClassVar[bool] = True

    @property
    def gave(self) -> frozenset[str]:
        """The programs of what is to go."""
        return self.programs

    def prepare(self, bench: Bench) -> FileRecord:
        """Check the file that is to come with the shell's own ``-n``, then copy the present one to the
        attic.
        """
        if self.checker and self.edit.after is not None:
            check_syntax(self.checker, self.edit.file, self.edit.after)
        return FileChange.prepare(self, bench)


class Traces(msgspec.Struct, frozen=True):
    """What is left of old installs: in startup files, and elsewhere."""

    spoken: tuple[Spoken, ...] = ()
    programs: frozenset[str] = frozenset()
    elsewhere: tuple[Mention, ...] = ()
    kept: dict[str, str] = {}
    """The folders that stay, since what stays in startup files would print something without them."""


class RetireStatements(FileTakeBack):
    """The kind."""

    name = "conflict-lines"
    heading = Heading.REMOVAL
    of_subject = "old lines in {}"

    def look(self, wanted: Wanted, machine: Machine) -> Traces:
        """Have the statements of every startup file found that speak of what is to go, and judged by fresh
        shells. What else speaks of it is looked for as long as that is there.
        """
        if not wanted.removals and not wanted.stale_variables:
            return Traces()
        going, kept = removable(wanted.removals, wanted.stale_variables, machine)
        spoken = spoken_of(going, wanted.stale_variables, machine)
        there = tuple(path for path in going if os.path.lexists(path))
        judged = [file.path for file in judged_files(going, machine)]
        key = ("mentions", there)
        if key not in machine.remembered:
            machine.remembered[key] = mentions(there, machine, judged)
        programs = frozenset() if wanted.stale_variables else frozenset().union(*map(programs_in, there))
        lines = {machine.locations.shown(path): _still_used(path, kept[path], machine) for path in kept}
        return Traces(tuple(spoken), programs, tuple(machine.remembered[key]), lines)

    def plan(self, wanted: Wanted, facts: Traces) -> Iterable[RetireLines]:
        """An edit of each file in which something can be cut."""
        for spoken in facts.spoken:
            after = without(spoken.file.content or b"", spoken.statements)
            if after != spoken.file.content:
                edit = Edit(spoken.file, after)
                edit.check_writable()
                yield RetireLines(edit, spoken.name, spoken.checker, facts.programs)

    def notices(self, wanted: Wanted, facts: Traces) -> list[str]:
        """The statements that speak of an old install and stay, for a person to decide on; then what else
        speaks of it.
        """
        stays = list(
            dict.fromkeys(
                f"{spoken.name}:{statement.line} mentions what is removed, and stays, since "
                + f"{statement.why or 'it does more'}: {(statement.text.splitlines() or [''])[0]}"
                for spoken in facts.spoken
                for statement in spoken.statements
                if not statement.serves
            )
        )
        files = dict.fromkeys(each.file for each in facts.elsewhere)
        by_file = {name: [each for each in facts.elsewhere if each.file == name] for name in files}
        kept = [f"{folder} is not removed: {why}" for folder, why in facts.kept.items()]
        return [*kept, *stays, *(_speaks(name, found) for name, found in by_file.items())]


def _still_used(folder: Path, told: Sequence[str], machine: Machine) -> str:
    """Why an old install stays, and which lines to delete first."""
    lines = [
        f"{spoken.name}:{each.line}"
        for spoken in spoken_of([folder], (), machine)
        for each in spoken.statements
        if not each.serves
    ]
    more = f", and {len(told) - 1} more" if len(told) > 1 else ""
    return f"{told[0]}{more}. To have it removed, delete {', '.join(lines)} first"


def _speaks(file: str, found: list[Mention]) -> str:
    """That something still speaks of what goes."""
    if found[0].line == 0:
        return f"{file} is a link that leads to {found[0].text}: it will lead nowhere"
    lines = ", ".join(str(each.line) for each in found[:5]) + (", …" if len(found) > 5 else "")
    return f"{file}:{lines} still speaks of what goes, and is not changed: {found[0].text[:100]}"
