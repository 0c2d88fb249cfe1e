"""Putting a version onto the shelf, and taking it off, each in one rename."""

from __future__ import annotations

import os
import shutil
import stat
import tempfile
from pathlib import Path


def stage(staging: Path, name: str) -> Path:
    """A new empty folder beside the shelf, to unpack into."""
    return Path(tempfile.mkdtemp(prefix=name + ".", dir=staging))


def content(folder: Path) -> Path:
    """The folder that holds the content: an archive often wraps it in a single one of its own."""
    entries = list(folder.iterdir())
    if len(entries) == 1 and entries[0].is_dir() and not entries[0].is_symlink():
        return entries[0]
    return folder


def put(folder: Path, target: Path) -> None:
    """Rename a finished folder to its place on the shelf (rename(2): all of it or nothing)."""
    folder.chmod(0o755)
    folder.rename(target)


def discard(folder: Path) -> None:
    """Remove a folder, also one that holds folders without write permission. Nothing there is no error."""
    if not folder.exists():
        return
    os.chmod(folder, 0o700)
    for root, names, _ in os.walk(folder):
        for name in names:
            path = os.path.join(root, name)
            if not os.path.islink(path) and not os.stat(path).st_mode & stat.S_IWUSR:
                os.chmod(path, 0o700)
    shutil.rmtree(folder)


def take_off(target: Path, staging: Path) -> None:
    """Take a version off the shelf: renamed away first, so that no half of it is ever seen there."""
    if target.exists():
        away = Path(tempfile.mkdtemp(prefix="gone.", dir=staging)) / target.name
        target.rename(away)
        discard(away.parent)
