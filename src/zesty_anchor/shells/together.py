"""Several shells at work side by side, which all end when the run is interrupted."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterable
from typing import TypeVar, cast

Interrupted = Callable[[], bool]
"""Whether the run was interrupted: whoever waits is to end."""

_Given = TypeVar("_Given")
_Result = TypeVar("_Result")


def never() -> bool:
    """It is not interrupted."""
    return False


def together(jobs: int, task: Callable[[_Given, Interrupted], _Result], given: Iterable[_Given]) -> list[_Result]:
    """Do a task for each thing given, ``jobs`` at a time. Returns the results in the same order. Where one raises an error, no
    other is begun; the first error is raised when those under way have ended.

    With threads alone: what the standard library has for it (concurrent.futures) takes as long to be fetched as a shell to start.
    """
    things = list(given)
    results: list[_Result | None] = [None] * len(things)
    errors: dict[int, BaseException] = {}
    stop, taking, numbers = threading.Event(), threading.Lock(), iter(range(len(things)))

    def work() -> None:
        while not stop.is_set():
            with taking:
                number = next(numbers, None)
            if number is None:
                return
            try:
                results[number] = task(things[number], stop.is_set)
            except BaseException as error:
                errors[number] = error
                stop.set()

    threads: list[threading.Thread] = []
    try:
        for _ in range(min(max(1, jobs), len(things))):
            threads.append(threading.Thread(target=work))
            threads[-1].start()
        _wait_for(threads)
    except BaseException:
        stop.set()
        _wait_for(threads)
        raise
    if errors:
        raise errors[min(errors)]
    return cast("list[_Result]", results)


def _wait_for(threads: Iterable[threading.Thread]) -> None:
    for thread in threads:
        if thread.is_alive():
            thread.join()
