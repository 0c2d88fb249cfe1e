"""The change that takes an old install's statements out of a startup file."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from functools import partial
from pathlib import Path
from typing import ClassVar

import msgspec

from zesty_anchor.changes.base import FileChange, FileTakeBack
from zesty_anchor.changes.bench import Bench
from zesty_anchor.changes.change import Stage
from zesty_anchor.changes.record import FileRecord
from zesty_anchor.changes.shells.readable import check_syntax
from zesty_anchor.files.edit import Edit
from zesty_anchor.files.text_file import TextFile
from zesty_anchor.manifest.wanted import Wanted
from zesty_anchor.shells.known import SHELLS
from zesty_anchor.survey.machine import Machine
from zesty_anchor.survey.startup import fish_variables
from zesty_anchor.survey.startup.fish_statements import fish_statements_about, fish_statements_setting
from zesty_anchor.survey.startup.sourced import sourced_files
from zesty_anchor.survey.startup.statements import Known, Statement, statements_about, statements_setting, without


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


class Lines(msgspec.Struct, frozen=True):
    """What a startup file holds of old installs: the statements found, and its content without those that serve them
    alone. ``name`` is the file as a person reads it, ``checker`` the shell that reads it.
    """

    file: TextFile
    name: str
    after: bytes | None
    statements: tuple[Statement, ...]
    checker: tuple[str, str] | None


class RetireStatements(FileTakeBack):
    """The kind."""

    name = "conflict-lines"

    def look(self, wanted: Wanted, machine: Machine) -> list[Lines]:
        """Have the statements of every startup file found that speak of what is to go."""
        known: dict[Path, Known] = {}
        seen = []
        for file in _files(wanted, machine):
            content, statements = file.content, []
            for found in _about(file, wanted, machine, known):
                content = without(content or b"", found)
                statements += found
            if statements:
                name = machine.locations.shown(file.path)
                seen.append(Lines(file, name, content, tuple(statements), _checker(file, machine)))
        return seen

    def plan(self, wanted: Wanted, facts: list[Lines]) -> Iterable[RetireLines]:
        """An edit of each file in which something can be cut."""
        for lines in facts:
            if lines.after != lines.file.content:
                edit = Edit(lines.file, lines.after)
                edit.check_writable()
                yield RetireLines(edit, lines.name, lines.checker)

    def notices(self, wanted: Wanted, facts: list[Lines]) -> list[str]:
        """The statements that speak of an old install and do more: not cut, but for a person to decide on."""
        return [
            f"{lines.name}:{statement.line} mentions what is removed, and does more, so it stays: "
            + statement.text.splitlines()[0]
            for lines in facts
            for statement in lines.statements
            if not statement.serves
        ]


def _files(wanted: Wanted, machine: Machine) -> list[TextFile]:
    """The startup files, and those that they read in their turn; none where nothing is to go."""
    if not wanted.removals and not wanted.stale_variables:
        return []
    sourced = sourced_files(machine.startup, machine.locations.home)
    inside = (path for path in sourced if any(path.is_relative_to(folder) for folder in wanted.removals))
    for path in list(inside):
        del sourced[path]
    # Two names may lead to one file.
    return list({file.target: file for file in (*machine.startup.values(), *sourced.values())}.values())


def _checker(file: TextFile, machine: Machine) -> tuple[str, str] | None:
    """The shell that reads a file, and its option that only reads. A file that is read by another is judged by its name."""
    readers = [
        name for name, shell in SHELLS.items() if file.path in [reading.file for reading in shell.reads(machine.around)]
    ]
    ending = file.path.suffix.lstrip(".")
    shells = (machine.shell(name) for name in readers or [ending if ending in SHELLS else "bash"])
    return next(((shell.program, SHELLS[shell.name].check) for shell in shells if shell), None)


def _about(file: TextFile, wanted: Wanted, machine: Machine, known: dict[Path, Known]) -> Iterable[list[Statement]]:
    """The statements about each variable and folder to be removed; each list refers to the file without those before it.

    ``known`` are the variables that hold a path in each folder, as far as the files before this one set them.
    """
    content = file.content
    about, setting = _judges(file.path, machine)
    for name in wanted.stale_variables if content else ():
        found = setting(content or b"", name, machine.locations.home)
        yield found
        content = without(content or b"", found)
    for folder in wanted.removals if content else ():
        found = about(content or b"", folder, machine.locations.home, known.setdefault(folder, {}))
        yield found
        content = without(content or b"", found)


_About = Callable[[bytes, Path, Path, Known], list[Statement]]
_Setting = Callable[[bytes, str, Path], list[Statement]]


def _judges(path: Path, machine: Machine) -> tuple[_About, _Setting]:
    """What finds the statements in a file of its language: those about a folder, and those that set a variable."""
    if path.name == fish_variables.FILE:
        return fish_variables.universal_statements_about, fish_variables.universal_statements_setting
    if path.suffix == ".fish":
        parser = machine.fish_parser
        return partial(fish_statements_about, parser=parser), partial(fish_statements_setting, parser=parser)
    return statements_about, statements_setting
