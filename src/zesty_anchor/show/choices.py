"""Choices of versions as a person reads them."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Protocol

from zesty_anchor.show.paint import Paint
from zesty_anchor.show.sizes import table


class Chosen(Protocol):
    """A version in effect."""

    @property
    def runtime(self) -> str:
        """The runtime."""

    @property
    def version(self) -> str:
        """The version; empty where there is none."""

    @property
    def scope(self) -> str:
        """Session, project or default."""

    @property
    def decided_by(self) -> str:
        """The file and line, or the variable."""


class Answer(Protocol):
    """A file that answers to a command."""

    @property
    def path(self) -> str:
        """The file."""

    @property
    def owner(self) -> str:
        """Who put it there."""

    @property
    def wins(self) -> bool:
        """Whether it is the first."""


class Traced(Protocol):
    """All that answer to one command."""

    @property
    def name(self) -> str:
        """The command."""

    @property
    def answers(self) -> Sequence[Answer]:
        """The files, in the order of PATH."""

    @property
    def decided(self) -> Chosen | None:
        """What decided the version, where it is one of ours."""


def in_effect(paint: Paint, choice: Chosen) -> None:
    """One line: what is in effect, and what decided it."""
    version = paint.good(choice.version) if choice.version else paint.look("none")
    paint.write(f"{paint.name(choice.runtime)} {version} is in effect here: {choice.scope}, by {choice.decided_by}")


def switched(paint: Paint, choice: Chosen, written: str) -> None:
    """The outcome of a switch."""
    in_effect(paint, choice)
    if written:
        paint.write(paint.faint(f"  written: {written}"))


def manifest_changed(paint: Paint, file: str, runtime: str, want: str, *, kept: bool) -> None:
    """That the manifest was changed, or put back."""
    line = f'[runtimes.{runtime}] want = "{want}"'
    paint.write(f"{paint.name(file)}: {line}" + ("" if kept else paint.bad(" was put back as it was")))


def traced(paint: Paint, found: Traced, shown: Callable[[str], str]) -> None:
    """A table of all that answer to a command."""
    if not found.answers:
        paint.write(paint.look(f"nothing on PATH answers to {found.name}"))
    rows = [
        [paint.good("wins") if answer.wins else paint.faint("hidden"), paint.name(shown(answer.path)), answer.owner]
        for answer in found.answers
    ]
    for line in table(rows, [6, 10]):
        paint.write(f"  {line}")
    if found.decided is not None:
        in_effect(paint, found.decided)
