"""What was removed and is kept in the attic, as the records of changes tell."""

from __future__ import annotations

import os
from pathlib import Path

import msgspec

from zesty_anchor.changes.record import Record
from zesty_anchor.files.removal import discard_any


class Kept(msgspec.Struct, frozen=True):
    """One thing in the attic: where it was, where it is kept, its size in bytes, and since when (seconds
    since 1970).
    """

    was: str
    kept: str
    size: int
    since: float


def kept_by(record: Record, since: float) -> list[Kept]:
    """What one change keeps, and what of it is still there."""
    return [in_attic(was, kept, since) for was, kept in record.in_attic().items() if os.path.lexists(kept)]


def in_attic(was: str, kept: str, since: float) -> Kept:
    """One thing that is there, with its size."""
    return Kept(was, kept, _size(kept), since)


def throw_away(each: Kept) -> None:
    """Remove it for good, with the folder that was made for it."""
    discard_any(Path(each.kept))
    try:
        Path(each.kept).parent.rmdir()
    except OSError:
        return


def _size(path: str) -> int:
    if os.path.islink(path) or not os.path.isdir(path):
        return os.lstat(path).st_size
    return sum(
        os.lstat(os.path.join(root, name)).st_size for root, _, names in os.walk(path) for name in names
    )
