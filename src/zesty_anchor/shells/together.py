"""Several shells at work side by side, which all end when the run is interrupted."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterable
from typing import TypeVar

Interrupted = Callable[[], bool]
"""Whether the run was interrupted: whoever waits is to end."""

_Given = TypeVar("_Given")
_Result = TypeVar("_Result")


def never() -> bool:
    """It is not interrupted."""
    return False


def together(jobs: int, task: Callable[[_Given, Interrupted], _Result], given: Iterable[_Given]) -> list[_Result]:
    """Do a task for each thing given, ``jobs`` at a time. Returns the results in the same order; the first error is raised."""
    # Most commands start no shell.
    from concurrent.futures import ThreadPoolExecutor

    stop = threading.Event()
    with ThreadPoolExecutor(max(1, jobs)) as pool:
        try:
            return list(pool.map(lambda each: task(each, stop.is_set), given))
        except BaseException:
            stop.set()
            pool.shutdown(wait=False, cancel_futures=True)
            raise
