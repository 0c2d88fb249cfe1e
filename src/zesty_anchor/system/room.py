"""Rooms in the folder for temporary files: ours alone, gone when the work is done, and found again where we
were killed.
"""

from __future__ import annotations

import os
import re
import shutil
import stat
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from zesty_anchor.system.held import hold, left

_NAME = re.compile(r"\Azesty-anchor-[a-z]+-([0-9]+)-[a-z0-9_]+\Z")


_ON_DISK = Path("/var/tmp")
"""Where what is large goes: the folder for temporary files may be in memory (hier(7))."""


@contextmanager
def room(what: str, *, on_disk: bool = False) -> Iterator[Path]:
    """An empty folder that only its owner may read; ``what`` is a word for its use. ``on_disk`` is for what
    may be large.
    """
    prefix = f"zesty-anchor-{what}-{os.getpid()}-"
    top = str(_ON_DISK) if on_disk and os.access(_ON_DISK, os.W_OK) else None
    while True:
        made = tempfile.TemporaryDirectory(prefix=prefix, dir=top, ignore_cleanup_errors=True)
        with made as name, _held(name) as there:
            if there:
                yield Path(name)
                return


@contextmanager
def _held(name: str) -> Iterator[bool]:
    """Whether a room is there and held. Another run, which has other numbers, may have cleared it before it
    was.
    """
    try:
        handle = os.open(name, os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC)
    except FileNotFoundError:
        yield False
        return
    try:
        hold(handle)
        yield os.path.isdir(name)
    finally:
        os.close(handle)


def clear_left() -> None:
    """Remove the rooms of this user's that nobody holds any more."""
    for top in dict.fromkeys((tempfile.gettempdir(), str(_ON_DISK))):
        _clear_left_in(top)


def _clear_left_in(top: str) -> None:
    try:
        entries = list(os.scandir(top))
    except OSError:
        return
    for entry in entries:
        found = _NAME.match(entry.name)
        if not found or not _is_own_folder(entry):
            continue
        with left(Path(entry.path), int(found[1])) as alone:
            if alone:
                shutil.rmtree(entry.path, ignore_errors=True)


def _is_own_folder(entry: os.DirEntry[str]) -> bool:
    try:
        status = entry.stat(follow_symlinks=False)
    except OSError:
        return False  # gone meanwhile
    return stat.S_ISDIR(status.st_mode) and status.st_uid == os.geteuid()
