"""Running text."""

from __future__ import annotations

import re

from zesty_anchor.show.paint import Paint

_WORD = re.compile(r"(?:`[^`]*`|\S)+")
"""A word; what is between backquotes is never broken."""


def paragraph(paint: Paint, text: str) -> None:
    """Write a text, on a terminal wrapped at words. What is between backquotes is a name, or to be typed: it
    stays on one line, in the colour of names.
    """
    line: list[str] = []
    length = 0
    for word in _WORD.findall(text):
        bare = len(word.replace("`", ""))
        if line and paint.width and length + 1 + bare > paint.width:
            paint.write(" ".join(line))
            line, length = [], 0
        length += bare + bool(line)
        line.append(re.sub(r"`([^`]*)`", lambda found: paint.name(found[1]), word))
    paint.write(" ".join(line))
