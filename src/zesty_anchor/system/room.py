"""Rooms in the folder for temporary files: ours alone, gone when the work is done, and found again where we were killed."""

from __future__ import annotations

import os
import re
import shutil
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from zesty_anchor.system.process import lives

_NAME = re.compile(r"\Azesty-anchor-[a-z]+-([0-9]+)-[a-z0-9_]+\Z")


@contextmanager
def room(what: str) -> Iterator[Path]:
    """An empty folder that only its owner may read; ``what`` is a word for its use."""
    with tempfile.TemporaryDirectory(prefix=f"zesty-anchor-{what}-{os.getpid()}-", ignore_cleanup_errors=True) as name:
        yield Path(name)


def clear_left() -> None:
    """Remove the rooms of this user's whose process has ended."""
    top = tempfile.gettempdir()
    try:
        entries = list(os.scandir(top))
    except OSError:
        return
    for entry in entries:
        found = _NAME.match(entry.name)
        if not found or lives(int(found[1])):
            continue
        if entry.is_dir(follow_symlinks=False) and entry.stat(follow_symlinks=False).st_uid == os.geteuid():
            shutil.rmtree(entry.path, ignore_errors=True)
