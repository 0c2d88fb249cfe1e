"""A step of a shell's start."""

from __future__ import annotations

import msgspec


class Step(msgspec.Struct, frozen=True):
    """One executed line: where it stands (``file`` is empty where the shell does not tell), when it began, in seconds
    since the shell was started, its text after expansion, and PATH at that moment.
    """

    file: str
    line: int
    at: float
    text: str
    path: str
