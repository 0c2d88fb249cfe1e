"""Where the start of a shell ends up: a startup file may hand the terminal to another program, or ask.

What is here reads proc(5); where there is none, nothing is found.
"""

from __future__ import annotations

import os
from collections.abc import Iterable
from contextlib import suppress
from pathlib import Path

import msgspec

from zesty_anchor.shells.known import SHELLS
from zesty_anchor.shells.reading import Context

_IN_TERMINAL = ("tmux", "screen")
"""Programs that start a shell in a terminal of their own, and show that one."""
_READ = {"x86_64": b"0", "aarch64": b"63"}
"""The number of read(2) by the machine's name (syscalls(2))."""


class Landing(msgspec.Struct, frozen=True):
    """A shell that a start has ended up in: its name, its program, the words it was called with, and the
    environment that it was given.
    """

    shell: str
    program: str
    words: tuple[str, ...]
    environment: dict[str, str]

    def context(self, name: str) -> Context:
        """The way to start such a shell once more."""
        login = self.words[0].startswith("-") or bool({"-l", "--login"} & set(self.words))
        by_name = login and all("-l" not in each.options for each in SHELLS[self.shell].contexts)
        options = ("-l", "-i") if login and not by_name else ("-i",)
        return Context(name, options, login_name=by_name)


def foreground(terminal: int, own: str) -> int:
    """The process in the foreground of a terminal, of which ``terminal`` is our end; 0 where that is the
    shell that we started, whose command line holds ``own``, or nobody.
    """
    with suppress(OSError):
        process = os.tcgetpgrp(terminal)
        if own.encode() not in Path(f"/proc/{process}/cmdline").read_bytes():
            return process
    return 0


def landing(process: int, others: Iterable[int]) -> Landing | None:
    """The shell that a process in the foreground is, or that it shows; ``others`` are further processes of
    the same start. None where it is none that we know.
    """
    with suppress(OSError):
        if Path(os.readlink(f"/proc/{process}/exe")).name not in _IN_TERMINAL:
            return _shell(process)
        for other in others:
            if os.getsid(other) == other and (found := _shell(other)) is not None:
                return found
    return None


def asks(process: int, machine: str) -> bool:
    """Whether a process waits for somebody to type at a terminal."""
    with suppress(OSError, ValueError):  # a process at work has no call, and says "running"
        call, opened = Path(f"/proc/{process}/syscall").read_bytes().split()[:2]
        if call == _READ.get(machine):
            return os.readlink(f"/proc/{process}/fd/{int(opened, 16)}").startswith(("/dev/pts/", "/dev/tty"))
    return False


def _shell(process: int) -> Landing | None:
    with suppress(OSError):
        program = os.readlink(f"/proc/{process}/exe")
        base = Path(program).name
        name = next((n for n, shell in SHELLS.items() if base in (n, *shell.programs)), "")
        words = _texts(process, "cmdline")
        if name and words and "-c" not in words:
            pairs = (each.partition("=") for each in _texts(process, "environ"))
            return Landing(name, program, words, {key: value for key, _, value in pairs if key})
    return None


def _texts(process: int, file: str) -> tuple[str, ...]:
    read = Path(f"/proc/{process}/{file}").read_bytes().split(b"\0")
    return tuple(os.fsdecode(each) for each in read if each)
