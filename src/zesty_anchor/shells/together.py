"""Several shells at work side by side, which all end when the run is interrupted."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterable
from typing import Generic, TypeVar, cast

Interrupted = Callable[[], bool]
"""Whether the run was interrupted: whoever waits is to end."""

_Given = TypeVar("_Given")
_Result = TypeVar("_Result")


def never() -> bool:
    """It is not interrupted."""
    return False


def together(
    jobs: int, task: Callable[[_Given, Interrupted], _Result], given: Iterable[_Given]
) -> list[_Result]:
    """Do a task for each thing given, ``jobs`` at a time. Returns the results in the same order. Where one
    raises an error, or we are interrupted, no other is begun; the first error is raised when those under way
    have ended.

    With threads alone: what the standard library has for it (concurrent.futures) takes as long to be fetched
    as a shell to start.
    """
    work = _Work(list(given), task)
    try:
        for _ in range(min(max(1, jobs), len(work.things))):
            threading.Thread(target=work.go_on).start()
        work.wait()
    except BaseException:
        work.stop()
        work.wait()
        raise
    if work.errors:
        raise work.errors[min(work.errors)]
    return cast("list[_Result]", work.results)


class _Work(Generic[_Given, _Result]):
    """Things to be done by several threads. It is counted what was taken and what has ended, and the threads
    are not joined: a join that a signal interrupts takes a thread at work for one that has ended (CPython
    3.11, threading.py).
    """

    def __init__(self, things: list[_Given], task: Callable[[_Given, Interrupted], _Result]) -> None:
        self.things = things
        self.results: list[_Result | None] = [None] * len(things)
        self.errors: dict[int, BaseException] = {}
        self._task = task
        self._taken = self._ended = 0
        self._last = len(things)
        self._changed = threading.Condition()
        self._stopped = threading.Event()

    def go_on(self) -> None:
        """Do one after the other, in a thread of many."""
        while (number := self._take()) is not None:
            try:
                self.results[number] = self._task(self.things[number], self._stopped.is_set)
            except BaseException as error:
                self.errors[number] = error
                self.stop()
            finally:
                with self._changed:
                    self._ended += 1
                    self._changed.notify_all()

    def _take(self) -> int | None:
        with self._changed:
            if self._taken == self._last:
                return None
            self._taken += 1
            return self._taken - 1

    def stop(self) -> None:
        """Begin no other, and tell those under way."""
        self._stopped.set()
        with self._changed:
            self._last = self._taken
            self._changed.notify_all()

    def wait(self) -> None:
        """Until all that will be done has ended."""
        with self._changed:
            self._changed.wait_for(lambda: self._ended == self._last)
