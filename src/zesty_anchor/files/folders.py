"""Folders that a change has to make on its way, so that taking back can remove them."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path


def missing(folder: Path) -> list[str]:
    """The folders that do not exist yet on the way to ``folder`` and itself, the outermost first."""
    found: list[str] = []
    while not folder.exists():
        found.append(str(folder))
        folder = folder.parent
    return found[::-1]


def make(folder: Path) -> None:
    """Make a folder and those above it. One that is made meanwhile is no error."""
    folder.mkdir(parents=True, exist_ok=True)


def remove_empty(folders: Iterable[str]) -> None:
    """Remove the folders that a change made, the innermost first, as far as they are empty."""
    for folder in sorted(folders, key=len, reverse=True):
        try:
            Path(folder).rmdir()
        except OSError:
            continue
