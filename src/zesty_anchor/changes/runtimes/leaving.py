"""Removing folders that programs and versions had, but for what is not theirs: that goes to the attic."""

from __future__ import annotations

import os
from collections.abc import Sequence
from pathlib import Path

from zesty_anchor.changes.bench import Bench
from zesty_anchor.files import folders
from zesty_anchor.files.inventory import Inventory, strangers
from zesty_anchor.files.removal import discard, discard_any
from zesty_anchor.shelf import place
from zesty_anchor.shelf.receipt import files_in, is_made, read


def leave_shelf(folder: Path, bench: Bench) -> tuple[str, ...]:
    """Take a version off the shelf in one rename. Returns what a person should know.

    Without our receipt it is not ours, and stays. What is not in its list of files, or holds something else
    by now, goes to the attic first; without a list that can be read, all of it. Raises ``OSError`` where it
    cannot be read.
    """
    if folder.is_dir() and not folder.is_symlink():
        os.listdir(folder)  # one that is closed is no other one
    if folder.is_symlink() or read(folder) is None:
        return (f"{bench.locations.shown(folder)} is not what was put there, and stays",)
    files = files_in(folder)
    if files is None:
        kept = bench.locations.shown(bench.attic.away(folder))
        return (
            f"{bench.locations.shown(folder)} has no list of what was put there; all of it is kept in {kept}",
        )
    told = away(strangers(folder, files, ours=is_made), folder, bench)
    folders.make(bench.locations.staging)
    gone = place.take_off(folder, bench.locations.staging)
    if gone is not None:
        discard(gone)
    return told


def empty(folder: Path, files: Inventory, bench: Bench) -> tuple[str, ...]:
    """Remove a folder of a program's, after what is not in its list of files went to the attic. A file or a
    link in its place is not the program's.
    """
    if not os.path.lexists(folder):
        return ()
    if not folder.is_dir() or folder.is_symlink():
        return away([folder], folder.parent, bench)
    told = away(strangers(folder, files, ours=is_made), folder, bench)
    discard_any(folder)
    return told


def away(paths: Sequence[Path], folder: Path, bench: Bench) -> tuple[str, ...]:
    """Move them to the attic, and tell it in one sentence."""
    kept = [bench.attic.away(path) for path in paths]
    if not kept:
        return ()
    first = os.path.relpath(paths[0], folder)
    more = f" and {len(paths) - 1} more" if len(paths) > 1 else ""
    shown = bench.locations.shown
    return (
        (
            f"{shown(folder)} held what was not put there: {first}{more}; it is kept in"
            f" {shown(kept[0].parent.parent)}"
        ),
    )
