"""Things done side by side: in order, and ended together."""

from __future__ import annotations

import signal
import time
from collections.abc import Iterator

import pytest

from zesty_anchor.shells.together import Interrupted, together


def test_results_come_in_order_and_so_many_at_a_time() -> None:
    at_work: list[int] = []
    most: list[int] = []

    def task(number: int, interrupted: Interrupted) -> int:
        at_work.append(number)
        most.append(len(at_work))
        time.sleep(0.02 / (number + 1))
        at_work.remove(number)
        return number * number

    assert together(3, task, range(9)) == [number * number for number in range(9)]
    assert 1 < max(most) <= 3
    assert together(3, task, []) == []


def test_the_first_error_is_raised_when_all_have_ended() -> None:
    ended: list[int] = []

    def task(number: int, interrupted: Interrupted) -> None:
        if number == 1:
            raise ValueError("one")
        while not interrupted():
            time.sleep(0.001)
        ended.append(number)

    with pytest.raises(ValueError, match="one"):
        together(2, task, range(9))
    assert ended == [0], "no other was begun"


@pytest.fixture
def soon() -> Iterator[None]:
    """Ctrl-C in a moment."""

    def interrupt(number: int, frame: object) -> None:
        raise KeyboardInterrupt

    before = signal.signal(signal.SIGALRM, interrupt)
    signal.setitimer(signal.ITIMER_REAL, 0.1)
    yield
    signal.setitimer(signal.ITIMER_REAL, 0)
    signal.signal(signal.SIGALRM, before)


def test_an_interruption_waits_for_what_is_under_way(soon: None) -> None:
    """A thread that a join was interrupted for counts as ended in CPython 3.11, and it is not."""
    begun: list[int] = []
    ended: list[int] = []

    def task(number: int, interrupted: Interrupted) -> None:
        begun.append(number)
        while not interrupted():
            time.sleep(0.001)
        time.sleep(0.05 if number else 0.2)
        ended.append(number)

    with pytest.raises(KeyboardInterrupt):
        together(4, task, range(9))
    assert sorted(ended) == begun == [0, 1, 2, 3]
