"""The attic: where what was removed or overwritten is kept. The one place that names things in it."""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path

import msgspec

_Take = Callable[[Path], object]
"""Makes something at a path, or raises FileExistsError."""


class Attic(msgspec.Struct, frozen=True):
    """One run's own folder in the attic; it exists. Names in it are numbered, and never used twice."""

    folder: Path

    def keep(self, name: str, content: bytes | None) -> str | None:
        """Store content under a free name that ends like ``name``. Returns its path; None where there is no content."""
        if content is None:
            return None
        path = self._taken(name, lambda path: os.close(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)))
        path.write_bytes(content)
        return str(path)

    def room(self, name: str) -> Path:
        """A new empty folder that only its owner may read."""
        return self._taken(name, lambda path: path.mkdir(mode=0o700))

    def place(self, name: str) -> Path:
        """A path in a room of its own, for something to be moved to; it keeps its name."""
        return self.room("folder") / name

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
