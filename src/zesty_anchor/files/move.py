"""Moving a file, a link or a folder, between file systems too."""

from __future__ import annotations

import errno
import os
import shutil
from pathlib import Path

from zesty_anchor.files.removal import discard_any


def move(source: Path, target: Path) -> None:
    """Rename; between file systems copy beside, rename into place, and only then remove the source.

    Raises ``OSError``; the source is then whole.
    """
    try:
        source.rename(target)
        return
    except OSError as error:
        if error.errno != errno.EXDEV:
            raise
    beside = target.with_name(f".{target.name}.zesty-anchor-{os.getpid()}")
    try:
        if source.is_dir() and not source.is_symlink():
            shutil.copytree(source, beside, symlinks=True)
        else:
            shutil.copy2(source, beside, follow_symlinks=False)
        beside.rename(target)
    finally:
        discard_any(beside)
    discard_any(source)


def same(one: Path, other: Path) -> bool:
    """Whether two folders hold the same names, kinds and bytes."""
    return _tree(one) == _tree(other)


def _tree(folder: Path) -> dict[str, object]:
    found: dict[str, object] = {}
    for root, names, files in os.walk(folder):
        for name in (*names, *files):
            path = Path(root, name)
            key = str(path.relative_to(folder))
            if path.is_symlink():
                found[key] = os.readlink(path)
            elif path.is_dir():
                found[key] = "folder"
            else:
                found[key] = path.read_bytes()
    return found
