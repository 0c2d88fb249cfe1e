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
    """A file on PATH that answers to a command in a fresh shell. ``wins`` marks the first one."""

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
    """Something wrong in a startup file, or in what it does: where, in words, and in which shells it shows."""

    file: str
    line: int
    what: str
    shells: tuple[str, ...] = ()


class RuntimeFound(msgspec.Struct, frozen=True):
    """A runtime that answers in a fresh shell, of the manifest or not. ``version`` is empty where it does not tell."""

    name: str
    version: str
    path: str
    owner: str
    brought_by: str = ""


class VariableFound(msgspec.Struct, frozen=True):
    """A variable that a startup file of the person's sets, and the line."""

    name: str
    value: str
    file: str
    line: int


class Findings(msgspec.Struct, frozen=True):
    """The whole survey. ``unanswered`` are commands of the manifest that nothing answers to yet. ``packages`` is the
    package manager, ``privilege`` the way to it (both empty: none), ``free`` the bytes that are free in the home.
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
    path: tuple[VariableFound, ...] = ()
    packages: str = ""
    privilege: str = ""
    free: int = 0
