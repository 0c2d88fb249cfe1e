"""One job server for all builds of a run, by GNU make's protocol (its manual, 13.1.1 "POSIX Jobserver
Interaction"): together they never run more at once than there are cores.

A build counts as one job, as its make does; each further one takes a byte from a pipe that all of them share.
"""

from __future__ import annotations

import os
import re
import subprocess
import threading
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from functools import cache

_LOOK_SECONDS = 0.2
"""How often it is looked whether the run was interrupted."""
_FIRST = (4, 2)
"""The first version of GNU make that knows ``--jobserver-auth`` (its NEWS, 4.2)."""


def cores() -> int:
    """The processors that this process may use (sched_setaffinity(2))."""
    return len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else os.cpu_count() or 1


class Jobserver:
    """The jobs of builds that go on side by side: at most ``size`` at once."""

    def __init__(self, size: int) -> None:
        self.size = max(1, size)
        self.pipe = os.pipe()
        self._building = 0
        self._changed = threading.Condition()

    @contextmanager
    def job(self, interrupted: Callable[[], bool], waiting: Callable[[], None]) -> Iterator[None]:
        """One job, for as long as a step of a build goes on. ``waiting`` is called where others have to end
        first. Raises ``KeyboardInterrupt`` where the run was ``interrupted`` meanwhile.
        """
        told = False
        with self._changed:
            while not self._taken():
                if not told:
                    waiting()
                    told = True
                self._changed.wait(_LOOK_SECONDS)
                if interrupted():
                    raise KeyboardInterrupt
            self._building += 1
        try:
            yield
        finally:
            with self._changed:
                self._building -= 1
                os.write(self.pipe[1], b"+")
                self._changed.notify_all()

    def _taken(self) -> bool:
        """Whether a byte could be taken. Where nothing is built, there are as many as cores again, whatever a
        build that was killed had taken.
        """
        os.set_blocking(self.pipe[0], False)
        try:
            if not self._building:
                while self._read():
                    pass
                os.write(self.pipe[1], b"+" * self.size)
            return self._read()
        finally:
            os.set_blocking(self.pipe[0], True)

    def _read(self) -> bool:
        try:
            return bool(os.read(self.pipe[0], 1))
        except BlockingIOError:
            return False

    @property
    def flags(self) -> str:
        """What make finds in MAKEFLAGS."""
        return f" -j --jobserver-auth={self.pipe[0]},{self.pipe[1]}"


@cache
def shared() -> Jobserver:
    """The one of this process."""
    return Jobserver(cores())


def knows_jobserver(environment: Mapping[str, str]) -> bool:
    """Whether the make that a build would find knows the protocol."""
    try:
        told = subprocess.run(
            ["make", "--version"], env=dict(environment), stdin=subprocess.DEVNULL, capture_output=True,
            text=True, timeout=10, check=False,
        ).stdout  # fmt: skip
    except (OSError, subprocess.TimeoutExpired):
        return False
    found = re.match(r"GNU Make (\d+)\.(\d+)", told)
    return found is not None and (int(found[1]), int(found[2])) >= _FIRST
