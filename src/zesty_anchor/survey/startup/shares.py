"""What a start of a shell is made of, as far as its measurements tell."""

from __future__ import annotations

import msgspec

from zesty_anchor.survey.startup.line_cost import LineCost
from zesty_anchor.survey.startup.start_cost import ShellCost, Starts

_NOISE_MS, _NOISE = 5.0, 0.15
"""How wide the interval of a median may be to either side: in milliseconds, or as a part of the median."""


class Shares(msgspec.Struct, frozen=True):
    """What a start is made of, in milliseconds: the shell with the system's files, the person's startup
    files, and the files that we generated.
    """

    system: float
    yours: float
    ours: float


def shares(cost: ShellCost) -> Shares:
    """The parts of a start, which sum to the whole: a difference of two medians below zero counts as zero.
    Pure.
    """
    whole, without_ours, bare = (starts.median for starts in cost.starts)
    system = min(bare, whole)
    ours = min(max(0.0, whole - without_ours), whole - system)
    return Shares(system, whole - system - ours, ours)


def fitted(cost: ShellCost) -> tuple[LineCost, ...]:
    """The lines of a start. Where those outside of /etc, each timed by itself, sum to more than the startup
    files take, they are made smaller in proportion. Pure.
    """
    yours = shares(cost).yours
    total = sum(line.milliseconds for line in cost.lines if not line.file.startswith("/etc/"))
    if total <= yours:
        return cost.lines
    return tuple(
        line
        if line.file.startswith("/etc/")
        else msgspec.structs.replace(line, milliseconds=line.milliseconds * yours / total)
        for line in cost.lines
    )


def is_noisy(cost: ShellCost) -> bool:
    """Whether the measurements differ too much to say what a start is made of. Pure."""
    whole = cost.starts[0]
    return margin(whole) > max(_NOISE_MS, whole.median * _NOISE)


def margin(starts: Starts) -> float:
    """How wide the interval of a median is to either side, in milliseconds. Pure."""
    return (starts.high - starts.low) / 2
