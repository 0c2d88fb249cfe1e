"""Putting a version onto the shelf, and taking it off, each in one rename."""

from __future__ import annotations

import tempfile
from collections.abc import Collection
from pathlib import Path


def stage(staging: Path, name: str) -> Path:
    """A new empty folder beside the shelf, to unpack into."""
    return Path(tempfile.mkdtemp(prefix=name + ".", dir=staging))


def content(folder: Path, bins: Collection[str] = ()) -> Path:
    """The folder that holds the content: an archive often wraps it in a single one of its own.

    A single one that is, or holds, one of the folders of commands ``bins`` is content itself.
    """
    entries = list(folder.iterdir())
    own = {part.partition("/")[0] for part in bins}
    if len(entries) == 1 and entries[0].is_dir() and not entries[0].is_symlink() and entries[0].name not in own:
        return entries[0]
    return folder


def put(folder: Path, target: Path) -> None:
    """Rename a finished folder to its place on the shelf (rename(2): all of it or nothing)."""
    folder.chmod(0o755)
    folder.rename(target)


def take_off(target: Path, staging: Path) -> Path | None:
    """Rename a version off the shelf, so that no half of it is ever seen there. Returns the folder to be removed."""
    if not target.exists():
        return None
    away = Path(tempfile.mkdtemp(prefix="gone.", dir=staging)) / target.name
    target.rename(away)
    return away.parent
