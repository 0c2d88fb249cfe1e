"""Folders that pin versions, as a person reads them."""

from __future__ import annotations

import shlex
from collections.abc import Sequence

from zesty_anchor.planning.projects import Project, ProjectPin
from zesty_anchor.show.columns import columns
from zesty_anchor.show.paint import Paint
from zesty_anchor.show.sizes import count, since


def projects(paint: Paint, found: Sequence[Project], *, remembers: bool) -> None:
    """How many there are, a row for each pin, and last what to type."""
    if not found:
        paint.write(
            "No folder with a pin was entered yet."
            if remembers
            else "Folders are not remembered: [projects] remember = false in the manifest."
        )
        return
    pins = [pin for each in found for pin in each.pins]
    missing = [pin for pin in pins if not pin.version and not pin.wrong]
    not_installed = f"; {paint.look(f'{len(missing)} not installed')}" if missing else ""
    paint.write(f"{count(len(found), 'folder')} with {count(len(pins), 'pin')}{not_installed}.")
    rows = []
    for each in found:
        rows += [[paint.name(pin.file), pin.runtime, pin.want, _state(paint, pin)] for pin in each.pins]
        if not each.there:
            rows.append(
                [paint.name(each.folder), "", "", paint.faint(f"does not exist, {since(each.seen_at)}")]
            )
    columns(paint, rows, [20, 8, 6])
    if missing:
        first = missing[0]
        folder = first.file.rpartition("/")[0]
        paint.write(f"To install: {paint.name(f'cd {_typed(folder)} && zesty-anchor provision')}")
    elif any(pin.newer for pin in pins):
        paint.write(f"To upgrade: {paint.name('zesty-anchor upgrade --projects')}")


def _state(paint: Paint, pin: ProjectPin) -> str:
    if pin.wrong:
        return paint.bad(pin.wrong)
    if not pin.version:
        return paint.look(f"not installed, {pin.newer} available" if pin.newer else "not installed")
    return paint.good(pin.version) + (f", {paint.look(f'{pin.newer} is newer')}" if pin.newer else "")


def _typed(folder: str) -> str:
    """A folder, shown from ``~`` on, as it is typed in a shell."""
    home, slash, below = folder.partition("/") if folder.startswith("~") else ("", "", folder)
    return f"{home}{slash}{shlex.quote(below) if below else ''}"
