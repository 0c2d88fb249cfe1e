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
    """One line: which version is active, and what decided it."""
    name, decided = paint.name(choice.runtime), f"{choice.scope}, by {choice.decided_by}"
    if choice.version:
        paint.write(f"{name} {paint.good(choice.version)} is active here: {decided}")
    else:
        paint.write(f"{name}: {paint.look('no active version')} ({decided})")
        if choice.scope == "default":
            paint.write(f"To install: {paint.name('zesty-anchor provision')}")


def switched(paint: Paint, choice: Chosen, written: str) -> None:
    """The outcome of a switch."""
    active(paint, choice)
    if written:
        paint.write(paint.faint(f"  written to {written}"))


def manifest_changed(paint: Paint, file: str, runtime: str, want: str, *, kept: bool) -> None:
    """That the manifest was changed, or put back."""
    line = f'[runtimes.{runtime}] want = "{want}"'
    paint.write(f"{paint.name(file)}: {line}" + ("" if kept else paint.bad(" was restored")))
