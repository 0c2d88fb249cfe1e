"""A statement of a startup file that speaks of an old install."""

from __future__ import annotations

from collections.abc import Iterable
from enum import IntEnum

import msgspec


class Statement(msgspec.Struct, frozen=True):
    """A statement that speaks of what is to go: the bytes ``start`` to ``end`` that would be cut, and its
    first line, from 1.

    ``serves`` tells whether these bytes exist for the old install alone, so that cutting them loses nothing
    else; where it is false, ``why`` may say the reason. ``names`` are the variables that it sets or exports,
    those apart that hold lists of folders.
    """

    start: int
    end: int
    line: int
    text: str
    serves: bool
    names: frozenset[str] = frozenset()
    why: str = ""


class Use(IntEnum):
    """What a statement is for; of several together the greatest counts."""

    NOTHING = 0
    """It only tests something, or exports what was set elsewhere."""
    FOLDER = 1
    """It exists for the old install alone."""
    PART = 2
    """Parts of it do."""
    MORE = 3
    """It does something else."""


LISTS = frozenset(
    [
        "PATH",
        "path",
        "MANPATH",
        "manpath",
        "FPATH",
        "fpath",
        "INFOPATH",
        "CDPATH",
        "cdpath",
        "fish_user_paths",
        "fish_function_path",
        "fish_complete_path",
        "XDG_DATA_DIRS",
        "LD_LIBRARY_PATH",
        "PKG_CONFIG_PATH",
    ]
)
"""Variables that hold a list of folders: everything reads them, and an entry can be missing."""


def without(content: bytes, statements: Iterable[Statement]) -> bytes:
    """The content with the statements that serve the folder cut out, and no byte beyond."""
    kept, place = [], 0
    for each in sorted((s for s in statements if s.serves), key=lambda s: s.start):
        kept.append(content[place : each.start])
        place = max(place, each.end)
    return b"".join((*kept, content[place:]))


def blanked(content: bytes, statements: Iterable[Statement]) -> bytes:
    """The same with each line at its place: of what is cut nothing but line ends stays. Pure."""
    kept, place = [], 0
    for each in sorted((s for s in statements if s.serves), key=lambda s: s.start):
        kept += [content[place : each.start], b"\n" * content.count(b"\n", max(place, each.start), each.end)]
        place = max(place, each.end)
    return b"".join((*kept, content[place:]))


def whole_lines(content: bytes, start: int, end: int) -> tuple[int, int, bool]:
    """The whole lines of a statement, and whether nothing else stands on them but a comment. Pure."""
    begin = content.rfind(b"\n", 0, start) + 1
    stop = content.find(b"\n", end)
    stop = len(content) if stop < 0 else stop + 1
    before, after = content[begin:start].strip(), content[end:stop].strip()
    if after.startswith(b";") and not after.startswith(b";;"):
        after = after[1:].strip()
    return begin, stop, not before and (not after or after.startswith(b"#"))


def with_blank(content: bytes, start: int, end: int) -> tuple[int, int]:
    """The bytes of a word, with the blanks before it, else those after it. Pure."""
    first = start
    while first > 0 and content[first - 1 : first] in (b" ", b"\t"):
        first -= 1
    if first < start and content[first - 1 : first] not in (b"(", b"\n", b""):
        return first, end
    while content[end : end + 1] in (b" ", b"\t"):
        end += 1
    return start, end
