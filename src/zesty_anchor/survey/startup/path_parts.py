"""A value of the shell taken apart at its colons."""

from __future__ import annotations

import os
from collections.abc import Iterator


def path_parts(value: str) -> list[tuple[int, int, str]]:
    """The parts of a value at its colons, those inside ``${…}``, ``$(…)`` and backquotes apart: where each
    begins and ends, in bytes, and its text. Quotes around the whole belong to no part.
    """
    raw = os.fsencode(value)
    start, stop = 0, len(raw)
    if len(raw) > 1 and raw[:1] in (b'"', b"'") and raw[-1:] == raw[:1] and raw[1:-1].find(raw[:1]) < 0:
        start, stop = 1, stop - 1
    parts, first, depth, quoted = [], start, 0, False
    for at in range(start, stop):
        letter = raw[at : at + 1]
        depth += (letter in (b"{", b"(")) - (letter in (b"}", b")"))
        quoted ^= letter == b"`"
        if letter == b":" and depth == 0 and not quoted:
            parts.append((first, at))
            first = at + 1
    parts.append((first, stop))
    return [(begin, end, os.fsdecode(raw[begin:end])) for begin, end in parts]


def spans_of(parts: list[tuple[int, int, str]], own: list[tuple[int, int, str]]) -> Iterator[tuple[int, int]]:
    """The bytes of some of the parts, each with the colon that follows; the last ones with the colon
    before.
    """
    kept = [number for number, part in enumerate(parts) if part not in own]
    for number, part in enumerate(parts):
        if part in own:
            yield (part[0], parts[number + 1][0]) if number < kept[-1] else (part[0] - 1, part[1])
