"""Colour and weight of text, or none of it."""

from __future__ import annotations

import sys
from collections.abc import Mapping
from typing import TextIO

import click


class Paint:
    """Styles text for one stream. ``colour`` is auto, always or never; auto honours NO_COLOR and needs a terminal."""

    def __init__(self, stream: TextIO, colour: str, environ: Mapping[str, str]) -> None:
        self.stream = stream
        self.terminal = stream.isatty()
        self.rewrites = self.terminal and environ.get("TERM", "dumb") != "dumb"
        """Whether a line that was written can be written anew."""
        self.on = colour == "always" or (colour == "auto" and self.terminal and not environ.get("NO_COLOR"))

    def _styled(self, text: str, **style: object) -> str:
        return click.style(text, **style) if self.on and text else text  # type: ignore[arg-type]

    def head(self, text: str) -> str:
        """A heading."""
        return self._styled(text, bold=True)

    def good(self, text: str) -> str:
        """What is well."""
        return self._styled(text, fg="green")

    def bad(self, text: str) -> str:
        """What is wrong."""
        return self._styled(text, fg="red", bold=True)

    def look(self, text: str) -> str:
        """What a person should look at."""
        return self._styled(text, fg="yellow")

    def name(self, text: str) -> str:
        """A thing's name."""
        return self._styled(text, fg="cyan")

    def faint(self, text: str) -> str:
        """What matters less."""
        return self._styled(text, dim=True)

    def write(self, text: str = "") -> None:
        """A line on the stream."""
        print(text, file=self.stream)


def out(colour: str, environ: Mapping[str, str]) -> Paint:
    """For results."""
    return Paint(sys.stdout, colour, environ)


def err(colour: str, environ: Mapping[str, str]) -> Paint:
    """For all else."""
    return Paint(sys.stderr, colour, environ)
