"""What is explained about a name."""

from __future__ import annotations

import msgspec


class Explained(msgspec.Struct, frozen=True):
    """What a name is, in ``paragraphs``, with names in backquotes. ``kind`` is command, variable, entry,
    file, key, check or status; ``next`` is a command that shows more (empty: none).
    """

    name: str
    kind: str
    paragraphs: tuple[str, ...]
    next: str = ""
