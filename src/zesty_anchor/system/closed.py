"""Waiting until a program that was just written can be run.

As long as anybody has a file open for writing it cannot be run ("Text file busy", execve(2), ETXTBSY). A
program that another of our threads starts has for a moment all that we have open: between its making and its
beginning (fork(2), execve(2)).
"""

from __future__ import annotations

import errno
import fcntl
import os
import signal
import time
from collections.abc import Iterable
from pathlib import Path

_SECONDS = 5.0
_LOOK_SECONDS = 0.005


def wait_until_closed(files: Iterable[Path]) -> None:
    """Wait until nobody has one of them open for writing, for a few seconds at most. What is not there, or
    cannot be asked about, is not waited for.
    """
    until = time.monotonic() + _SECONDS
    for file in files:
        try:
            opened = os.open(file, os.O_RDONLY | os.O_CLOEXEC | os.O_NONBLOCK)
        except OSError:
            continue
        try:
            while _is_written(opened) and time.monotonic() < until:
                time.sleep(_LOOK_SECONDS)
        finally:
            os.close(opened)


def _is_written(opened: int) -> bool:
    """A lease for reading is given where nobody writes (fcntl(2), "Leases"). Linux has such, and only for an
    owner's file.
    """
    if not hasattr(fcntl, "F_SETLEASE"):
        return False
    try:
        # Whoever opens it for writing just then has us told by a signal: by one that does nothing.
        fcntl.fcntl(opened, fcntl.F_SETSIG, signal.SIGURG)
        fcntl.fcntl(opened, fcntl.F_SETLEASE, fcntl.F_RDLCK)
    except OSError as error:
        return error.errno == errno.EAGAIN
    fcntl.fcntl(opened, fcntl.F_SETLEASE, fcntl.F_UNLCK)
    return False
