"""What a survey found, for a person and for JSON."""

from __future__ import annotations

import msgspec


class ShellFound(msgspec.Struct, frozen=True):
    """A shell on this machine."""

    name: str
    program: str
    login: bool


class StartupFileFound(msgspec.Struct, frozen=True):
    """A startup file that a shell may read. ``links_to`` is empty unless it is a symbolic link."""

    file: str
    shell: str
    exists: bool
    block: bool
    writable: bool
    links_to: str = ""


class Answering(msgspec.Struct, frozen=True):
    """A program on PATH with the name of a command, in a new shell. ``wins`` marks the first one."""

    command: str
    shell: str
    path: str
    owner: str
    wins: bool


class Standing(msgspec.Struct, frozen=True):
    """An installed version."""

    runtime: str
    version: str


class Trouble(msgspec.Struct, frozen=True):
    """A problem in a startup file, or in what it does: the place, what is wrong, the shells, and a
    ``fix`` (a line of the manifest, a command, or what to do). ``weight`` is greater for worse ones.
    """

    file: str
    line: int
    what: str
    shells: tuple[str, ...] = ()
    fix: str = ""
    weight: int = 0


class RuntimeFound(msgspec.Struct, frozen=True):
    """A runtime that new shells find, from the manifest or not. ``version`` is empty if it is not known."""

    name: str
    version: str
    path: str
    owner: str
    brought_by: str = ""


class VariableFound(msgspec.Struct, frozen=True):
    """A variable that one of the person's startup files sets, and the line. ``others`` are other values,
    each with its place. It is ``computed`` if the line computes the value at each start, and
    ``leads_nowhere`` if the value is a path that does not exist. ``diverts`` is how it leads a runtime
    elsewhere (empty: it does not).
    """

    name: str
    value: str
    file: str
    line: int
    others: tuple[str, ...] = ()
    computed: bool = False
    leads_nowhere: bool = False
    diverts: str = ""


class EntryFound(msgspec.Struct, frozen=True):
    """A folder that one of the person's startup files puts on PATH, and the line. It is ``behind`` if it
    comes after the system's folders; ``remark`` says what is wrong with it.
    """

    folder: str
    file: str
    line: int
    behind: bool = False
    remark: str = ""


class Findings(msgspec.Struct, frozen=True):
    """Everything that the survey found. ``unanswered`` are commands of the manifest that are not found.
    ``packages`` is the package manager, ``privilege`` how it gets privilege (both empty: none), ``free``
    the free bytes in the home.
    """

    system: str
    platform: str
    shells: tuple[ShellFound, ...]
    startup_files: tuple[StartupFileFound, ...]
    answers: tuple[Answering, ...]
    unanswered: tuple[str, ...]
    shelf: tuple[Standing, ...]
    manifest: str
    troubles: tuple[Trouble, ...] = ()
    runtimes: tuple[RuntimeFound, ...] = ()
    variables: tuple[VariableFound, ...] = ()
    path: tuple[EntryFound, ...] = ()
    packages: str = ""
    privilege: str = ""
    free: int = 0
