"""The folders below one that pin versions."""

from __future__ import annotations

import os
from collections.abc import Iterator
from pathlib import Path

from zesty_anchor.manifest.pin import names
from zesty_anchor.planning.choices import Chooser
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.proof.in_folder import Pinned, PinnedFolder

_MOST_FOLDERS = 20_000
"""More folders than this are not looked into."""
_PASSED_OVER = frozenset({"node_modules"})
"""Packages that a project fetched have pins of their own, which are none of the project's."""
MOST = 40
"""In more folders than this nothing is checked, or run."""


def pinned_folders(workstation: Workstation, choosing: Chooser, *, below: bool) -> list[PinnedFolder]:
    """The current folder, where a pin decides in it, and with ``below`` each folder below that has a pin of
    its own. Hidden folders, links, and what a project fetched are passed over.
    """
    here = workstation.folder
    folders = [here, *(_below(workstation, here) if below else ())]
    found = (_pinned(workstation, choosing, folder) for folder in folders)
    return [each for each in found if each.pins][:MOST]


def _below(workstation: Workstation, here: Path) -> Iterator[Path]:
    looked_for, left = set(names(workstation.recipes)), _MOST_FOLDERS
    for root, inner, files in os.walk(here):
        inner[:] = sorted(name for name in inner if not name.startswith(".") and name not in _PASSED_OVER)
        left -= 1
        if left < 0:
            return
        if root != str(here) and not looked_for.isdisjoint(files):
            yield Path(root)


def _pinned(workstation: Workstation, choosing: Chooser, folder: Path) -> PinnedFolder:
    """The pins that decide in a folder, the nearest of each runtime."""
    shown, pins = workstation.locations.shown, dict[str, Pinned]()
    if folder == workstation.locations.home:
        return PinnedFolder(str(folder), shown(folder), ())
    for file, pin in choosing.pins(folder):
        if pin.runtime in pins or pin.wrong or pin.runtime not in workstation.manifest.tools:
            continue
        version = choosing.version(pin) or ""
        pins[pin.runtime] = Pinned(pin.runtime, pin.want, shown(file), pin.line, version)
    return PinnedFolder(str(folder), shown(folder), tuple(pins.values()))
