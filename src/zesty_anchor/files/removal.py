"""Removing a folder with all in it."""

from __future__ import annotations

import errno
import os
import stat
from pathlib import Path


def discard(folder: Path) -> None:
    """Remove a folder, also one that holds folders without write permission; of a link the link alone.
    Nothing there is no error.
    """
    if folder.is_symlink() or not folder.exists():
        folder.unlink(missing_ok=True)
        return
    os.chmod(folder, 0o700)
    for root, names, _ in os.walk(folder):
        for name in names:
            path = os.path.join(root, name)
            if not os.path.islink(path) and not os.stat(path).st_mode & stat.S_IWUSR:
                os.chmod(path, 0o700)
    import shutil

    shutil.rmtree(folder)


def set_aside(path: Path, aside: Path) -> Path:
    """Rename what is about to be removed, so that no half of it is ever seen. Returns where it is then: where
    it was, if its file system renames no folder that came from a lower layer (the kernel's
    Documentation/filesystems/overlayfs, "Renaming directories").
    """
    try:
        path.rename(aside)
    except OSError as error:
        if error.errno != errno.EXDEV:
            raise
        return path
    return aside


def discard_any(path: Path) -> None:
    """Remove a file, a link, or a folder with all in it. Nothing there is no error."""
    if path.is_dir() and not path.is_symlink():
        discard(path)
    else:
        path.unlink(missing_ok=True)
