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


class Findings(msgspec.Struct, frozen=True):
    """The whole survey. ``unanswered`` are commands of the manifest that nothing answers to yet."""

    system: str
    platform: str
    shells: tuple[ShellFound, ...]
    startup_files: tuple[StartupFileFound, ...]
    answers: tuple[Answering, ...]
    unanswered: tuple[str, ...]
    shelf: tuple[Standing, ...]
    manifest: str
