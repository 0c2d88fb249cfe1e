"""Versions as the field writes them, in one total order."""

from __future__ import annotations

import functools
import re

_SHAPE = re.compile(r"v?(\d+(?:\.\d+)*)(.*)", re.IGNORECASE | re.DOTALL)
_PIECE = r"[A-Za-z]+|\d+"
_ATTACHED_PRE = r"(?i:(?:a|b|c)\d+$|(?:a|b|c)\d+[^A-Za-z0-9])"

# Words that stand before a release, the earliest first; PEP 440 and Semantic Versioning 2.0.0 item 9
# name most of them, the rest are what vendors write.
_PRE = (
    ("dev", "snapshot", "nightly", "canary", "next"),
    ("a", "alpha", "ea", "experimental"),
    ("b", "beta", "m", "milestone"),
    ("c", "rc", "cr", "pre", "preview", "candidate"),
)
_PRE_RANK = {word: rank for rank, words in enumerate(_PRE) for word in words}
# Words that stand after a release: an update or a patch level of it.
_POST = frozenset({"u", "p", "update", "patch", "post", "pl", "sp", "rev", "r"})

_Item = tuple[int, int, str]
_END: _Item = (0, 0, "")


def _items(rest: str) -> tuple[_Item, ...]:
    if not rest:
        return ()
    attached = bool(re.match(_ATTACHED_PRE, rest))
    items: list[_Item] = []
    for place, piece in enumerate(re.findall(_PIECE, rest)):
        word = piece.lower()
        if piece.isdigit():
            items.append((2, int(piece), ""))
        elif word in _PRE_RANK and (len(word) > 1 or (place == 0 and attached)):
            items.append((-1, _PRE_RANK[word], word))
        elif word in _POST:
            items.append((1, 0, ""))
        else:
            items.append((3, 0, word))
    return tuple(items)


def is_version(text: str) -> bool:
    """Whether a text can be read as a version."""
    return _SHAPE.fullmatch(text.strip()) is not None


@functools.total_ordering
class Version:
    """One version, for instance ``8u392``, ``3.2.2p53``, ``3.0.0-rc.1`` or ``v4.2``.

    Versions are ordered by their numbers first, then by what follows: a pre-release stands before the
    release, an update or a variant after it. The text breaks a tie, so that the order is total.

    Raises ``ValueError`` where the text has no number at its start.
    """

    __slots__ = ("items", "key", "numbers", "text")

    def __init__(self, text: str) -> None:
        shape = _SHAPE.fullmatch(text.strip())
        if shape is None:
            raise ValueError(f"{text!r} is not a version: it must begin with a number")
        self.text = text.strip()
        self.numbers = tuple(int(part) for part in shape[1].split("."))
        self.items = _items(shape[2])
        end = len(self.numbers)
        while end > 1 and self.numbers[end - 1] == 0:
            end -= 1
        self.key = (self.numbers[:end], (*self.items, _END), self.text)

    @property
    def is_prerelease(self) -> bool:
        """Whether it stands before a release: asked for only by name."""
        return any(item[0] < 0 for item in self.items)

    def begins_with(self, prefix: Version) -> bool:
        """Whether ``prefix`` names a line that this version belongs to: 4.2.1 begins with 4 and 4.2."""
        width = len(prefix.numbers)
        numbers = (self.numbers + (0,) * width)[:width]
        if numbers != prefix.numbers:
            return False
        if not prefix.items:
            return True
        return self.numbers == prefix.numbers and self.items[: len(prefix.items)] == prefix.items

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Version) and self.key == other.key

    def __lt__(self, other: Version) -> bool:
        return self.key < other.key

    def __hash__(self) -> int:
        return hash(self.key)

    def __str__(self) -> str:
        return self.text

    def __repr__(self) -> str:
        return f"Version({self.text!r})"
