"""A step of a shell's start."""

from __future__ import annotations

import re

import msgspec


class Place(msgspec.Struct, frozen=True):
    """A line of a startup file."""

    file: str
    line: int


class Step(msgspec.Struct, frozen=True):
    """One executed line: where it stands (``file`` is empty where the shell does not tell), when it began, in
    seconds since the shell was started, its text after expansion, and PATH at that moment.

    ``depth`` is that of subshells around it; ``call`` names what called the function that it stands in, as
    the shell does; ``value`` is what the variable held that was asked about.
    """

    file: str
    line: int
    at: float
    text: str
    path: str
    depth: int = 0
    call: str = ""
    value: str = ""

    @property
    def called_from(self) -> Place | None:
        """The line of the call; None where it stands in no function, or that is not told."""
        bash = re.fullmatch(r"(\S+) (\d+) (/.+)", self.call)
        if bash:
            return Place(bash[3], int(bash[2])) if bash[1] not in ("source", "main") else None
        zsh = re.fullmatch(r"(/.+):(\d+)", self.call)
        return Place(zsh[1], int(zsh[2])) if zsh else None
