"""Colour and weight of text, or none of it."""

from __future__ import annotations

import os
import re
import sys
from collections.abc import Iterator, Mapping
from contextlib import suppress
from typing import NamedTuple, TextIO

import click

from zesty_anchor.system.credentials import without_credentials
from zesty_anchor.system.visible import visible

_OURS = int.from_bytes(os.urandom(4)) + (1 << 32)
"""Marks the styles that are ours: of those in a text from outside none reaches the terminal."""
_STYLE = re.compile(rf"\x1b\[{_OURS};([0-9;]*)m")


_PLACE = re.compile(r"(?<![\w/.~:])(~?/[^\s:,;'\"()]+)(:\d+)")
"""A file and its line, as they are shown."""


_LABEL = re.compile(r"^( *[A-Za-z]+(?: [A-Za-z]+)*:?) {2,}(?=\S)")
"""A word in front of a line, with the blanks that make a column of what stands behind."""


def takes_links(environ: Mapping[str, str]) -> bool:
    """Whether a terminal makes links of what says so (the de facto standard of terminals, "OSC 8"); any other
    may show the letters. Pure.
    """
    vte, program = environ.get("VTE_VERSION", ""), environ.get("TERM_PROGRAM", "")
    return (
        (vte.isdigit() and int(vte) >= _FIRST_VTE)
        or bool(_TERMINALS & environ.keys())
        or program in _PROGRAMS
        or environ.get("TERM", "") in _TERMS
    ) and not environ.get("TMUX")


_FIRST_VTE = 5000
_TERMINALS = frozenset({"KONSOLE_VERSION", "WT_SESSION", "KITTY_WINDOW_ID"})
_PROGRAMS = frozenset({"iTerm.app", "WezTerm", "vscode", "ghostty"})
_TERMS = frozenset({"xterm-kitty", "foot", "alacritty"})


def _link(found: re.Match[str], home: str) -> str:
    from urllib.parse import quote

    file = found[1].replace("~", home, 1) if found[1].startswith("~") else found[1]
    return f"\x1b]8;;file://{os.uname().nodename}{quote(file)}\x1b\\{found[0]}\x1b]8;;\x1b\\"


class Palette(NamedTuple):
    """A colour of the terminal for each meaning: its name among the 16 that a person can set, or its number
    among the 256 that are fixed. ``faint`` is None where a text is dimmed in its own colour.
    """

    good: int | str
    bad: int | str
    look: int | str
    name: int | str
    faint: int | None


SIXTEEN = Palette("green", "red", "yellow", "cyan", None)
FIXED = Palette(good=29, bad=131, look=163, name=63, faint=243)
"""Of the colours of xterm's palette (ctlseqs, "Indexed colors": a cube of 6 x 6 x 6 and 24 greys) these have
a contrast of at least 4.5 against black and against white (WCAG 2.2, 1.4.3); none of the first 16 has it.
"""


def palette(environ: Mapping[str, str]) -> Palette:
    """The colours for a terminal. Pure."""
    term = environ.get("TERM", "")
    many = "256color" in term or term in _TERMS or environ.get("COLORTERM", "") in ("truecolor", "24bit")
    return FIXED if many else SIXTEEN


_GLUE = "\ue000"
"""Marks a space at which a line is not wrapped: a private-use character (Unicode 23.5, "Private-Use")."""


def _plain(text: str) -> str:
    """A text without our styles."""
    return _STYLE.sub("", text)


class Paint:
    """Styles text for one stream. ``colour`` is auto, always or never; auto honours NO_COLOR and needs a
    terminal. ``plain`` is for a screen reader: no colours, columns or lines that are written anew.
    """

    def __init__(
        self, stream: TextIO, colour: str, environ: Mapping[str, str], *, plain: bool = False
    ) -> None:
        self.stream = stream
        self.plain = plain
        self.terminal = stream.isatty() and not plain
        self.rewrites = self.terminal and environ.get("TERM", "dumb") != "dumb"
        """Whether a line that was written can be written anew."""
        self.width = _width(stream) if self.terminal else 0
        """Columns of the terminal; 0 where there is none."""
        self.home = environ.get("HOME", "")
        self.palette = palette(environ)
        self.links = self.rewrites and takes_links(environ)
        """Whether a file with its line can be opened from the terminal."""
        auto = colour == "auto" and self.terminal and not environ.get("NO_COLOR")
        self.on = not plain and (colour == "always" or auto)

    def _styled(self, text: str, **style: object) -> str:
        if not self.on or not text:
            return text
        styled = click.style("\0", **style)  # type: ignore[arg-type]
        before, _, after = re.sub(r"\x1b\[", f"\x1b[{_OURS};", styled).partition("\0")
        return before + text + after

    def head(self, text: str) -> str:
        """A heading."""
        return self._styled(text, bold=True)

    def good(self, text: str) -> str:
        """What is well."""
        return self._styled(text, fg=self.palette.good)

    def bad(self, text: str) -> str:
        """What is wrong."""
        return self._styled(text, fg=self.palette.bad, bold=True)

    def look(self, text: str) -> str:
        """What a person should look at."""
        return self._styled(text, fg=self.palette.look)

    def name(self, text: str) -> str:
        """A thing's name, or what is to be typed: it stays on one line."""
        return self._styled(text.replace(" ", _GLUE), fg=self.palette.name)

    def faint(self, text: str) -> str:
        """What matters less."""
        if self.palette.faint is None:
            return self._styled(text, dim=True)
        return self._styled(text, fg=self.palette.faint)

    def write(self, text: str = "") -> None:
        """A line on the stream; on a terminal, wrapped between words."""
        if self.plain:
            print(self.shown(_LABEL.sub(r"\1 ", text, count=1)).lstrip(" "), file=self.stream)
            return
        for line in self._wrapped(text):
            print(self.shown(line), file=self.stream)

    def _wrapped(self, text: str) -> Iterator[str]:
        """The lines of a text, further ones indented like the first."""
        if not self.width or len(_plain(text)) <= self.width:
            yield text
            return
        indent = " " * (len(text) - len(text.lstrip(" ")))
        line = ""
        for word in text.split(" ")[len(indent) :]:
            longer = f"{line} {word}" if line else indent + word
            if line and len(_plain(longer)) > self.width:
                yield line
                line = indent + word
            else:
                line = longer
        yield line

    def shown(self, text: str) -> str:
        """A text as it goes to the terminal: with our own styles, everything else that would be obeyed made
        visible, and without names and passwords in addresses.
        """
        parts = _STYLE.split(without_credentials(text.replace(_GLUE, " ")))
        return "".join(
            self._linked(visible(part)) if number % 2 == 0 else f"\x1b[{part}m"
            for number, part in enumerate(parts)
        )

    def _linked(self, text: str) -> str:
        """With a link for each file with its line. The text itself stays as it is."""
        return _PLACE.sub(lambda found: _link(found, self.home), text) if self.links else text


PLAIN = "ZESTY_ANCHOR_PLAIN"
"""The variable that asks for plain text in every command, whatever its value."""


def out(colour: str, environ: Mapping[str, str], *, plain: bool = False) -> Paint:
    """For results."""
    return Paint(sys.stdout, colour, environ, plain=plain or bool(environ.get(PLAIN)))


def err(colour: str, environ: Mapping[str, str], *, plain: bool = False) -> Paint:
    """For all else."""
    return Paint(sys.stderr, colour, environ, plain=plain or bool(environ.get(PLAIN)))


def _width(stream: TextIO) -> int:
    with suppress(OSError, ValueError):
        return os.get_terminal_size(stream.fileno()).columns
    return 80
