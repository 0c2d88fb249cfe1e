"""The attic as a person reads it."""

from __future__ import annotations

import datetime
from collections.abc import Callable, Sequence
from typing import Protocol

from zesty_anchor.show.columns import columns
from zesty_anchor.show.paint import Paint
from zesty_anchor.show.sizes import amount


class Kept(Protocol):
    """One thing in the attic."""

    @property
    def was(self) -> str:
        """Where it stood."""

    @property
    def kept(self) -> str:
        """Where it is."""

    @property
    def size(self) -> int:
        """In bytes."""

    @property
    def since(self) -> float:
        """In seconds since 1970."""


def kept(paint: Paint, things: Sequence[Kept], shown: Callable[[str], str]) -> None:
    """All of it, the latest first."""
    if not things:
        paint.write("The attic is empty.")
        return
    rows = [
        [
            paint.name(shown(each.was)),
            amount(each.size),
            f"since {datetime.datetime.fromtimestamp(each.since):%Y-%m-%d %H:%M}",
            paint.faint(shown(each.kept)),
        ]
        for each in things
    ]
    columns(paint, rows, [10, 8])
    total = sum(each.size for each in things)
    paint.write(
        f"{amount(total)} in total; `undo` restores what a run removed. To delete all of it: zesty-anchor"
        " attic empty"
    )


def deleted(paint: Paint, things: Sequence[Kept], shown: Callable[[str], str]) -> None:
    """What is gone for good."""
    if not things:
        paint.write("The attic is empty.")
        return
    for each in things:
        paint.write(f"  deleted  {shown(each.was)}, {amount(each.size)}")
