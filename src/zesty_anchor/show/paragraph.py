"""Running text."""

from __future__ import annotations

import re

from zesty_anchor.show.paint import Paint


def paragraph(paint: Paint, text: str) -> None:
    """Write a text, on a terminal wrapped at words. What is between backquotes is a name, or to be typed: it
    stays on one line, in the colour of names.
    """
    paint.write(re.sub(r"`([^`]*)`", lambda found: paint.name(found[1]), text))
