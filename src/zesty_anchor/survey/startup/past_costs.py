"""What starts of shells cost when they were measured before, kept beside the journal."""

from __future__ import annotations

from collections.abc import Sequence
from contextlib import suppress
from pathlib import Path

import msgspec

from zesty_anchor.files import own_folders
from zesty_anchor.files.replace import replace
from zesty_anchor.survey.startup.start_cost import ShellCost

_NAME = "timing.json"
_MOST = 20


class PastCost(msgspec.Struct, frozen=True):
    """One measurement: when (seconds since 1970), and what it found."""

    at: float
    shells: tuple[ShellCost, ...]


class Timed(msgspec.Struct, frozen=True):
    """What was measured now, and of each shell, by its name, what was measured last before: when (seconds
    since 1970), and what it found.
    """

    shells: tuple[ShellCost, ...]
    before: dict[str, tuple[float, ShellCost]] = {}


def past_costs(state: Path) -> list[PastCost]:
    """All that are kept, the oldest first; what cannot be read was not kept."""
    try:
        return msgspec.json.decode((state / _NAME).read_bytes(), type=list[PastCost])
    except (OSError, msgspec.MsgspecError):
        return []


def last_cost(past: Sequence[PastCost], shell: str) -> tuple[float, ShellCost] | None:
    """The last measurement of one shell, with its time. Pure."""
    found = [(each.at, cost) for each in past for cost in each.shells if cost.shell == shell]
    return found[-1] if found else None


def keep_cost(state: Path, cost: PastCost) -> None:
    """Add one; where nothing can be written it is not kept."""
    with suppress(OSError, UnicodeEncodeError):  # JSON knows no path that is not UTF-8
        own_folders.make(state)
        replace(state / _NAME, msgspec.json.encode([*past_costs(state), cost][-_MOST:]), 0o600, lasting=False)
