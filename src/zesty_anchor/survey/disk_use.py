"""How much disk a file or a folder takes."""

from __future__ import annotations

import os
from contextlib import suppress

_BLOCK = 512
"""Bytes of one of ``st_blocks`` (stat(3type))."""


def disk_use(path: str | os.PathLike[str]) -> int:
    """The bytes that a file or a folder with all in it takes; a file with several names counts once. What
    cannot be read counts nothing, and no link is followed.
    """
    total, linked = 0, set[tuple[int, int]]()
    folders = [os.fspath(path)]
    with suppress(OSError):
        total += os.lstat(path).st_blocks
    while folders:
        try:
            entries = list(os.scandir(folders.pop()))
        except OSError:
            continue
        for entry in entries:
            with suppress(OSError):
                state = entry.stat(follow_symlinks=False)
                if state.st_nlink > 1 and not entry.is_dir(follow_symlinks=False):
                    if (state.st_dev, state.st_ino) in linked:
                        continue
                    linked.add((state.st_dev, state.st_ino))
                total += state.st_blocks
                if entry.is_dir(follow_symlinks=False):
                    folders.append(entry.path)
    return total * _BLOCK
