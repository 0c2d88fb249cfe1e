"""Numbers for a person."""

from __future__ import annotations

import time


def amount(size: int | float) -> str:
    """Bytes with a unit of the SI: 12.3 kB."""
    value = float(size)
    if value == 1:
        return "1 byte"
    for unit in ("bytes", "kB", "MB", "GB"):
        if value < 1000 or unit == "GB":
            return f"{value:.0f} {unit}" if unit == "bytes" or value >= 100 else f"{value:.1f} {unit}"
        value /= 1000
    raise AssertionError


def fetching(size: int, unknown: int) -> str:
    """What is to be fetched: so many bytes, and downloads whose size nobody tells."""
    downloads = count(unknown, "download")
    if not size:
        return f"{downloads} of unknown size" if unknown else "nothing to fetch"
    return f"{amount(size)}{f' and {downloads} of unknown size' if unknown else ''} to fetch"


def lasted(seconds: float) -> str:
    """A time that something took: 3.2 s, 41 s, 4 min 05 s."""
    minutes, rest = divmod(round(seconds), 60)
    if minutes:
        return f"{minutes} min {rest:02} s"
    return f"{seconds:.1f} s" if seconds < 10 else f"{seconds:.0f} s"


def count(number: int, one: str, many: str = "") -> str:
    """A number with its noun: 1 change, 2 changes."""
    return f"{number} {one if number == 1 else many or one + 's'}"


def since(moment: float) -> str:
    """How long ago a moment was (seconds since 1970): 3 days ago."""
    seconds = max(0.0, time.time() - moment)
    for size, name in ((86_400, "day"), (3_600, "hour"), (60, "minute")):
        if seconds >= size:
            return f"{count(int(seconds // size), name)} ago"
    return "just now"
