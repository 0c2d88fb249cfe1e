"""Writing many small files: several at a time, with as few calls to the system as it takes."""

from __future__ import annotations

import os
import queue
import threading
from collections.abc import Callable
from typing import Self

WORKERS = 4
SMALL = 1 << 18
"""Files up to this size are handed to a worker whole; a larger one is for the caller to write as it arrives.
"""
_WAITING = 64

Make = Callable[[], bytes]
"""Gives a file's content; called in a worker, so that unpacking it happens there too."""


class Writer:
    """Workers that write files. Use it as a context manager: leaving it waits for all of them.

    Raises the first error of any worker, at the next ``put``, ``settle`` or at the end.
    """

    def __init__(self) -> None:
        self._queue: queue.Queue[tuple[str, Make, int, float] | None] = queue.Queue(_WAITING)
        self._threads: list[threading.Thread] = []
        self._error: BaseException | None = None
        self._umask = _umask()

    def __enter__(self) -> Self:
        """Begin."""
        for _ in range(WORKERS):
            thread = threading.Thread(target=self._work, daemon=True)
            thread.start()
            self._threads.append(thread)
        return self

    def __exit__(self, kind: type[BaseException] | None, *_: object) -> None:
        """Wait for the workers; raise what went wrong in one, unless something did already."""
        for _thread in self._threads:
            self._queue.put(None)
        for thread in self._threads:
            thread.join()
        if kind is None and self._error is not None:
            raise self._error

    def put(self, path: str, make: Make, mode: int, moment: float) -> None:
        """Write one file, some time."""
        if self._error is not None:
            raise self._error
        self._queue.put((path, make, mode, moment))

    def settle(self) -> None:
        """Wait until all that was put is written."""
        self._queue.join()
        if self._error is not None:
            raise self._error

    def _work(self) -> None:
        while True:
            given = self._queue.get()
            try:
                if given is None:
                    return
                if self._error is None:
                    path, make, mode, moment = given
                    self._write(path, make(), mode, moment)
            except BaseException as error:
                self._error = self._error or error
            finally:
                self._queue.task_done()

    def _write(self, path: str, content: bytes, mode: int, moment: float) -> None:
        handle = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW | os.O_CLOEXEC, mode)
        try:
            view = memoryview(content)
            while view:
                view = view[os.write(handle, view) :]
            if mode & self._umask:
                os.fchmod(handle, mode)
            os.utime(handle, (moment, moment))
        finally:
            os.close(handle)


def _umask() -> int:
    """The mask of this process. Asking the system for it would set it, for every thread; proc(5) tells it
    too.
    """
    try:
        with open("/proc/self/status", encoding="utf-8", errors="replace") as status:
            return next(int(line.split()[1], 8) for line in status if line.startswith("Umask:"))
    except (OSError, StopIteration, ValueError):
        return 0o777
