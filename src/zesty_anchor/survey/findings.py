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
    """A file on PATH that answers to a command in a new shell. ``wins`` marks the first one."""

    command: str
    shell: str
    path: str
    owner: str
    wins: bool


class Standing(msgspec.Struct, frozen=True):
    """A version on the shelf."""

    runtime: str
    version: str


class Trouble(msgspec.Struct, frozen=True):
    """Something wrong in a startup file, or in what it does: where, in words, in which shells it shows, and
    what fixes it: a line of the manifest, a command, or what to do. ``weight`` is the greater the worse it
    is.
    """

    file: str
    line: int
    what: str
    shells: tuple[str, ...] = ()
    fix: str = ""
    weight: int = 0


class RuntimeFound(msgspec.Struct, frozen=True):
    """A runtime that answers in a new shell, of the manifest or not. ``version`` is empty where it does not
    tell.
    """

    name: str
    version: str
    path: str
    owner: str
    brought_by: str = ""


class VariableFound(msgspec.Struct, frozen=True):
    """A variable that a startup file of the person's sets, and the line. ``others`` are the values that it
    has elsewhere, each with where. It is ``computed`` where the line works its value out anew at each start,
    and ``leads_nowhere`` where it is a path at which nothing is.
    """

    name: str
    value: str
    file: str
    line: int
    others: tuple[str, ...] = ()
    computed: bool = False
    leads_nowhere: bool = False


class EntryFound(msgspec.Struct, frozen=True):
    """A folder that a startup file of the person's puts on PATH, and the line. It is ``behind`` where it
    stands after the system's folders; ``remark`` says what is wrong with it.
    """

    folder: str
    file: str
    line: int
    behind: bool = False
    remark: str = ""


class Findings(msgspec.Struct, frozen=True):
    """The whole survey. ``unanswered`` are commands of the manifest that nothing answers to yet. ``packages``
    is the package manager, ``privilege`` the way to it (both empty: none), ``free`` the bytes that are free
    in the home.
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
