"""Versions as a person reads them."""

from __future__ import annotations

from typing import Any, Protocol

from zesty_anchor.show.paint import Paint
from zesty_anchor.show.sizes import table


class Listed(Protocol):
    """A runtime with its versions."""

    @property
    def runtime(self) -> str:
        """Its name."""

    @property
    def in_effect(self) -> dict[str, str] | None:
        """The version in effect, with ``scope`` and ``decided_by``; None if none is installed."""

    @property
    def installed(self) -> tuple[str, ...]:
        """The versions on the shelf."""

    @property
    def obtainable(self) -> tuple[Any, ...]:
        """The versions that the feed offers, newest first."""


def runtimes(paint: Paint, listed: list[Listed]) -> None:
    """All runtimes, a line each."""
    rows = []
    for each in listed:
        effect = each.in_effect
        others = [v for v in each.installed if effect is None or v != effect["version"]]
        rows.append(
            [
                paint.name(each.runtime),
                paint.good(effect["version"]) if effect else paint.look("not installed"),
                f"{effect['scope']}, by {effect['decided_by']}" if effect else "run: zesty-anchor provision",
                f"beside it: {', '.join(others)}" if others else "",
            ]
        )
    for line in table(rows, [10, 10]):
        paint.write(line)


def runtime(paint: Paint, listed: Listed, only: str) -> None:
    """One runtime: what is obtainable, installed, and in effect."""
    effect = listed.in_effect
    if effect:
        paint.write(
            f"{paint.name(listed.runtime)}  {paint.good(effect['version'])} is in effect: {effect['scope']}, by {effect['decided_by']}"
        )
    else:
        paint.write(f"{paint.name(listed.runtime)}  {paint.look('none is in effect')}")
    rows = []
    for each in listed.obtainable:
        version = each["version"]
        if only and not (version == only or version.startswith(only + ".")):
            continue
        state = (
            "in effect"
            if effect and version == effect["version"]
            else "installed"
            if version in listed.installed
            else ""
        )
        rows.append([version, paint.faint(each["date"]), ", ".join(each["channels"]), paint.good(state)])
    for line in table(rows, [12, 10, 10]):
        paint.write(f"  {line}")
    if not rows:
        paint.write(f"  no version begins with {only}" if only else "  the feed offers none for this machine")
