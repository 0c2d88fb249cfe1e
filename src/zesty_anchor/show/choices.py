"""Choices of versions as a person reads them."""

from __future__ import annotations

from typing import Protocol

from zesty_anchor.show.paint import Paint


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


def active(paint: Paint, choice: Chosen) -> None:
    """One line: what is in effect, and what decided it."""
    version = paint.good(choice.version) if choice.version else paint.look("none")
    paint.write(
        f"{paint.name(choice.runtime)} {version} is in effect here: {choice.scope}, by {choice.decided_by}"
    )


def switched(paint: Paint, choice: Chosen, written: str) -> None:
    """The outcome of a switch."""
    active(paint, choice)
    if written:
        paint.write(paint.faint(f"  written: {written}"))


def manifest_changed(paint: Paint, file: str, runtime: str, want: str, *, kept: bool) -> None:
    """That the manifest was changed, or put back."""
    line = f'[runtimes.{runtime}] want = "{want}"'
    paint.write(f"{paint.name(file)}: {line}" + ("" if kept else paint.bad(" was put back as it was")))
