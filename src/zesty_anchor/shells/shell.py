"""What every shell can tell us, and the words that they share."""

from __future__ import annotations

from collections.abc import Collection
from pathlib import Path
from typing import Protocol

import msgspec

MARK = "# zesty-anchor block"
"""The end of the one line that this program owns in a startup file."""


class Environment(msgspec.Struct, frozen=True):
    """What a generated file puts in place: variables in order, folders first and last on PATH.

    ``shelf`` is the folder of which only ``first`` and ``last`` may stay on PATH: an open shell drops the rest.
    """

    variables: tuple[tuple[str, str], ...]
    first: tuple[str, ...]
    last: tuple[str, ...]
    shelf: str


class Site(msgspec.Struct, frozen=True):
    """A startup file that gets the block, and the language that it is written in."""

    file: Path
    language: str


class Context(msgspec.Struct, frozen=True):
    """A way in which a shell is started: its name, and the options that bring it about."""

    name: str
    options: tuple[str, ...]


class Shell(Protocol):
    """One shell."""

    @property
    def name(self) -> str:
        """Its word in the manifest."""

    @property
    def contexts(self) -> tuple[Context, ...]:
        """The ways of starting it that are proved."""

    def startup_files(self, home: Path, zdotdir: Path | None) -> tuple[Path, ...]:
        """Every file of the person's that it may read, in the order in which it reads them."""

    def sites(self, home: Path, zdotdir: Path | None, system: str, existing: Collection[Path]) -> tuple[Site, ...]:
        """The startup files that get the block, given which files exist. Pure."""

    def quote(self, text: str) -> str:
        """``text`` as one word of its language, byte for byte."""

    def block(self, generated: Path, home: Path) -> str:
        """The one line, without a line end, that sources the generated file."""

    def environment(self, environment: Environment) -> str:
        """The text of the generated file."""

    def reload(self, generated: Path, home: Path) -> str:
        """The line that a person types to bring an open shell up to date."""
