"""What a login gives a process beside its environment: umask, limits, and signals that nobody has had
ignored.
"""

from __future__ import annotations

import re
import resource
import signal
from collections.abc import Callable
from pathlib import Path

import msgspec

_UMASK = 0o022
_OF_PYTHON = (signal.SIGPIPE, signal.SIGXFSZ)
"""Signals that Python lets go by, and ``subprocess`` does not (Python's manual, subprocess,
"restore_signals").
"""
_LIMITS = {
    "Max cpu time": resource.RLIMIT_CPU, "Max file size": resource.RLIMIT_FSIZE,
    "Max data size": resource.RLIMIT_DATA,
    "Max stack size": resource.RLIMIT_STACK, "Max core file size": resource.RLIMIT_CORE,
    "Max open files": resource.RLIMIT_NOFILE,
}  # fmt: skip
"""The limits of setrlimit(2) that shells set (``ulimit``), by the names that proc(5) gives them."""


def login_umask(file: Path = Path("/etc/login.defs")) -> int:
    """The umask of a login: UMASK of login.defs(5), else 022 (pam_umask(8))."""
    try:
        found = re.search(r"^\s*UMASK\s+(0?[0-7]{1,3})\s*$", file.read_text("utf-8", "replace"), re.MULTILINE)
    except OSError:
        return _UMASK
    return int(found[1], 8) if found else _UMASK


def limits_of_init(file: Path = Path("/proc/1/limits")) -> dict[int, int]:
    """The limits that every login comes from, by their numbers (proc(5), /proc/pid/limits); none where they
    are not told.
    """
    try:
        text = file.read_text("utf-8", "replace")
    except OSError:
        return {}
    found = {}
    for name, number in _LIMITS.items():
        row = re.search(rf"^{name}\s+(\S+)", text, re.MULTILINE)
        if row and (row[1] == "unlimited" or row[1].isdecimal()):
            found[number] = resource.RLIM_INFINITY if row[1] == "unlimited" else int(row[1])
    return found


class AtLogin(msgspec.Struct, frozen=True):
    """The umask of a login, and what a new process calls to have its limits and signals; None where we
    ourselves have them.
    """

    umask: int
    reset: Callable[[], None] | None


def at_login() -> AtLogin:
    """What there is to do before a new process becomes a program. All that has to be read is read here."""
    limits = []
    for number, wanted in limits_of_init().items():
        soft, most = resource.getrlimit(number)
        held = most != resource.RLIM_INFINITY and (wanted == resource.RLIM_INFINITY or wanted > most)
        if soft != (most if held else wanted):
            limits.append((number, (most if held else wanted, most)))
    ignored = [
        each for each in signal.Signals if signal.getsignal(each) is signal.SIG_IGN and each not in _OF_PYTHON
    ]

    def reset() -> None:
        for number, both in limits:
            resource.setrlimit(number, both)
        for each in ignored:
            signal.signal(each, signal.SIG_DFL)
        signal.pthread_sigmask(signal.SIG_SETMASK, ())

    held_back = signal.pthread_sigmask(signal.SIG_BLOCK, ())
    return AtLogin(login_umask(), reset if limits or ignored or held_back else None)
