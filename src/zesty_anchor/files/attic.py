"""The attic: where what was removed or overwritten is kept. The one place that names things in it."""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path

import msgspec

from zesty_anchor.files.move import move
from zesty_anchor.files.replace import flush_folder

_Take = Callable[[Path], object]
"""Makes something at a path, or raises FileExistsError."""

Noted = Callable[[str, str], None]
"""Writes down that something is kept: where it stood, and where it is."""


def _nobody(was: str, kept: str) -> None:
    """Nobody writes it down."""


class Attic(msgspec.Struct, frozen=True):
    """One run's own folder in the attic; it exists. Names in it are numbered, and never used twice.

    What is kept in it is on disk when it is named. ``noted`` hears of what goes there beside what a change's
    own record tells, before it goes.
    """

    folder: Path
    noted: Noted = _nobody

    def keep(self, name: str, content: bytes | None) -> str | None:
        """Store content under a free name that ends like ``name``. Returns its path; None where there is no
        content.
        """
        if content is None:
            return None
        path = self._taken(
            name, lambda path: os.close(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600))
        )
        with path.open("wb") as out:
            out.write(content)
            out.flush()
            os.fsync(out.fileno())
        flush_folder(self.folder)
        return str(path)

    def room(self, name: str) -> Path:
        """A new empty folder that only its owner may read."""
        path = self._taken(name, lambda path: path.mkdir(mode=0o700))
        flush_folder(self.folder)
        return path

    def place(self, name: str) -> Path:
        """A path in a room of its own, for something to be moved to; it keeps its name."""
        return self.room("folder") / name

    def away(self, path: Path) -> Path:
        """Move something here that is not ours, or not as we left it. Returns where it is kept."""
        kept = self.place(path.name)
        self.noted(str(path), str(kept))
        move(path, kept)
        return kept

    def copy(self, was: Path, content: bytes) -> Path:
        """Keep what a file held that is about to get something else."""
        kept = Path(self.keep(was.name, content) or "")
        self.noted(str(was), str(kept))
        return kept

    def _taken(self, name: str, take: _Take) -> Path:
        plain = name.lstrip(".") or "file"
        number = 1
        while True:
            path = self.folder / f"{number:03}-{plain}"
            try:
                take(path)
            except FileExistsError:
                number += 1
                continue
            return path
