"""Other processes."""

from __future__ import annotations

import os
import signal
from collections.abc import Container
from contextlib import suppress
from pathlib import Path


def lives(process: int) -> bool:
    """Whether a process of that number exists (kill(2), signal 0)."""
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return False
    except (PermissionError, OverflowError):
        return True
    return True


def end_marked(mark: bytes, session: int, spared: Container[int]) -> None:
    """Kill the processes of this user whose environment holds ``mark``, and those of a session, but for those ``spared``: again
    until none is left, since they may start others meanwhile. Where there is no /proc (proc(5)), nothing is done.
    """
    for _ in range(_ROUNDS):
        found = [each for each in marked(mark, session) if each not in spared]
        if not found:
            return
        for each in found:
            with suppress(ProcessLookupError, PermissionError):
                os.kill(each, signal.SIGKILL)


def marked(mark: bytes, session: int) -> list[int]:
    """Those processes."""
    assert mark
    return [each for each in _own_processes() if _belongs(each, mark, session)]


_ROUNDS = 20


def _own_processes() -> list[int]:
    own, found = os.geteuid(), []
    with suppress(OSError):
        for entry in os.scandir("/proc"):
            if entry.name.isdecimal():
                with suppress(OSError):
                    if entry.stat().st_uid == own:
                        found.append(int(entry.name))
    return found


def _belongs(process: int, mark: bytes, session: int) -> bool:
    folder = Path("/proc", str(process))
    try:
        state, _, _, of_session = (folder / "stat").read_bytes().rpartition(b")")[2].split()[:4]
        return state not in (b"Z", b"X") and (int(of_session) == session or mark in (folder / "environ").read_bytes())
    except (OSError, ValueError):
        return False
