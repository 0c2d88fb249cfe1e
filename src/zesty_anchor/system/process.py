"""Other processes."""

from __future__ import annotations

import os
import signal
import time
from collections.abc import Collection
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


def processes() -> frozenset[int]:
    """The numbers of all processes (proc(5)); none where there is no /proc."""
    with suppress(OSError):
        return frozenset(int(name) for name in os.listdir("/proc") if name.isdecimal())
    return frozenset()


def end_marked(mark: bytes, session: int, spared: Collection[int]) -> None:
    """Kill the processes of this user whose environment holds ``mark``, and those of a session, but for those
    ``spared``: again until none is left, since they may start others meanwhile. Where there is no /proc
    (proc(5)), nothing is done.
    """
    until, pause = time.monotonic() + _ENDED_SECONDS, 0.001
    while (found := marked(mark, session, spared)) and time.monotonic() < until:
        for each in found:
            with suppress(ProcessLookupError, PermissionError):
                os.kill(each, signal.SIGKILL)
        time.sleep(pause)  # on a busy machine one that was killed is there for a moment
        pause = min(2 * pause, 0.05)


def marked(mark: bytes, session: int, spared: Collection[int]) -> list[int]:
    """Those processes."""
    assert mark
    own = os.geteuid()
    return [each for each in processes() if each not in spared and _belongs(each, own, mark, session)]


_ENDED_SECONDS = 2.0
"""How long it is tried."""


def _belongs(process: int, user: int, mark: bytes, session: int) -> bool:
    folder = Path("/proc", str(process))
    try:
        if folder.stat().st_uid != user:
            return False
        state, _, _, of_session = (folder / "stat").read_bytes().rpartition(b")")[2].split()[:4]
        return state not in (b"Z", b"X") and (
            int(of_session) == session or mark in (folder / "environ").read_bytes()
        )
    except (OSError, ValueError):
        return False
