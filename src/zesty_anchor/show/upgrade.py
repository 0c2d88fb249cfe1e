"""What an upgrade touches, as a person reads it beside the table of what is newer."""

from __future__ import annotations

from collections.abc import Sequence

from zesty_anchor.planning.newer import Affected, Beyond
from zesty_anchor.planning.projects import Project
from zesty_anchor.show.columns import columns
from zesty_anchor.show.paint import Paint


def affected(paint: Paint, found: Sequence[Affected]) -> None:
    """A line for each use of a version that moves."""
    for each in found:
        name = f"{each.runtime} {each.version}"
        if each.pins:
            verb = "pins" if len(each.pins) == 1 else "pin"
            paint.write(f"  {paint.name(name)}: {', '.join(each.pins)} {verb} it, and it stays installed")
        if each.packages:
            paint.write(f"  {paint.name(name)}: you installed {', '.join(each.packages)} in it")


def bases(paint: Paint, addresses: Sequence[str]) -> None:
    """Which bases have a newer text than the lock pins."""
    for address in addresses:
        paint.write(f"the base {paint.name(address)} has a newer text: zesty-anchor lock --base")


def beyond(paint: Paint, found: Sequence[Beyond]) -> None:
    """What another want would give, and what to write for it."""
    if found:
        paint.write()
        rows = [
            [f"{e.runtime} {e.version}", f'"{e.line}"', f'"{e.want}"', paint.name(e.place)] for e in found
        ]
        columns(paint, rows, [14, 8, 12], heads=("to get", "write", "in place of", "at"))


def pinned(paint: Paint, found: Sequence[Project]) -> None:
    """What the pins of folders admit that is newer."""
    rows = [
        [paint.name(pin.file), pin.runtime, pin.want, pin.version or "-", paint.look(pin.newer)]
        for each in found
        for pin in each.pins
    ]
    if rows:
        paint.write()
        heads = ("pinned in", "runtime", "want", "installed", "newer")
        columns(paint, rows, [20, 8, 6, 9], heads=heads)
