"""How much an archive may unpack to."""

from __future__ import annotations

import msgspec

from zesty_anchor.shelf.members import ArchiveRefused

MOST_BYTES = 4 << 30
MOST_TIMES = 200
"""How many times its own size an archive may unpack to, once that is much."""
_MUCH = 64 << 20
MOST_ZIPPED = 200_000
"""Of a zip archive all members are in memory at once (APPNOTE.TXT 4.3.12: the central directory)."""
MOST_HEADER = 1 << 16
"""Bytes of one header that describes another (pax(1), "pax Header Block")."""


class Bounds(msgspec.Struct, frozen=True):
    """The most bytes that an archive may unpack to, and whether somebody named that number: then any
    compression is good.
    """

    largest: int = MOST_BYTES
    named: bool = False

    def check(self, unpacked: int, packed: int) -> None:
        """Raises ``ArchiveRefused`` where it has grown beyond them."""
        advice = 'if that is right, say how large it may be: [feeds.NAME] largest = "8 GB"'
        if unpacked > self.largest:
            raise ArchiveRefused(f"it unpacks to more than {self.largest / 1e9:.1f} GB", "the whole", advice)
        if not self.named and unpacked > max(_MUCH, MOST_TIMES * packed):
            raise ArchiveRefused(f"it unpacks to more than {MOST_TIMES} times its size", "the whole", advice)
