"""The change that takes an old install's statements out of a startup file."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from functools import partial
from pathlib import Path
from typing import ClassVar

from zesty_anchor.changes.base import FileChange
from zesty_anchor.changes.change import Bench, Record, Stage
from zesty_anchor.changes.shells.readable import check_syntax
from zesty_anchor.files.edit import Edit, put_back
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

    def prepare(self, bench: Bench) -> Record:
        """See ``Change``. The file that is to come is checked with the shell's own ``-n`` first."""
        if self.checker and self.edit.after is not None:
            check_syntax(self.checker, self.edit.file, self.edit.after)
        return self.edit.prepare(bench)


class RetireStatements:
    """The kind."""

    name = "conflict-lines"

    def plan(self, wanted: Wanted, machine: Machine) -> Iterable[RetireLines]:
        """See ``Kind``."""
        known: dict[Path, Known] = {}
        for file in _files(wanted, machine):
            content = file.content
            for found in _about(file, wanted, machine, known):
                content = without(content or b"", found)
            if content != file.content:
                edit = Edit(file, content)
                edit.check_writable()
                yield RetireLines(edit, machine.locations.shown(file.path), _checker(file, machine))

    def take_back(self, record: Record, bench: Bench) -> Sequence[str]:
        """See ``Kind``."""
        return put_back(record)


def _files(wanted: Wanted, machine: Machine) -> list[TextFile]:
    """The startup files, and those that they read in their turn; none where nothing is to go."""
    if not wanted.removals and not wanted.stale_variables:
        return []
    sourced = sourced_files(machine.startup, machine.locations.home)
    inside = (path for path in sourced if any(path.is_relative_to(folder) for folder in wanted.removals))
    for path in list(inside):
        del sourced[path]
    return [*machine.startup.values(), *sourced.values()]


def _checker(file: TextFile, machine: Machine) -> tuple[str, str] | None:
    """The shell that reads a file, and its option that only reads. A file that is read by another is judged by its name."""
    readers = [
        name for name, shell in SHELLS.items() if file.path in [reading.file for reading in shell.reads(machine.around)]
    ]
    ending = file.path.suffix.lstrip(".")
    shells = (machine.shell(name) for name in readers or [ending if ending in SHELLS else "bash"])
    return next(((shell.program, SHELLS[shell.name].check) for shell in shells if shell), None)


def undecided(wanted: Wanted, machine: Machine) -> list[tuple[str, Statement]]:
    """The statements that mention an old install and do more: not cut, but for a person to decide on."""
    known: dict[Path, Known] = {}
    return [
        (machine.locations.shown(file.path), statement)
        for file in _files(wanted, machine)
        for found in _about(file, wanted, machine, known)
        for statement in found
        if not statement.serves
    ]


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
        fish = machine.shell("fish")
        program = fish.program if fish else "fish"
        return partial(fish_statements_about, program=program), partial(fish_statements_setting, program=program)
    return statements_about, statements_setting
