"""A text file of the person's, read as it is."""

from __future__ import annotations

import errno
import os
import stat
from pathlib import Path

import msgspec

from zesty_anchor.system.problem import Problem


class TextFile(msgspec.Struct, frozen=True):
    """A file of the person's: ``path`` as it is named, ``target`` what its links lead to.

    ``content`` is None where the file does not exist. ``writable`` goes by its mode, for root too: a file
    that someone made read-only is not to be changed. ``closed`` is the folder, around the file or above it,
    that is read-only, so that the file cannot be replaced or made there. ``owner`` is the number of another
    user whose file it is: who replaces it takes it from them (None: it is our own, or we are root and may
    give it back).
    """

    path: Path
    target: Path
    content: bytes | None
    mode: int = 0o644
    writable: bool = True
    closed: Path | None = None
    owner: int | None = None


def read_text_file(path: Path) -> TextFile:
    """A file as it is. Raises ``Problem`` where it is there and cannot be read, or is no file."""
    target = Path(os.path.realpath(path))
    try:
        handle = os.open(target, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
    except (FileNotFoundError, NotADirectoryError):
        return TextFile(path, target, None, closed=_closed(target.parent))
    except OSError as error:
        reason = "its links lead round in a circle" if error.errno == errno.ELOOP else error.strerror
        raise Problem(
            f"{path} cannot be read: {reason}", advice="fix its permissions or its link, then try again"
        ) from None
    state = os.fstat(handle)
    if not stat.S_ISREG(state.st_mode):
        os.close(handle)
        raise Problem(
            f"{path} is no regular file", advice="a startup file must be a file: move this out of the way"
        )
    mode = stat.S_IMODE(state.st_mode)
    with open(handle, "rb") as opened:
        owner = None if os.geteuid() in (0, state.st_uid) else state.st_uid
        return TextFile(
            path, target, opened.read(), mode, bool(mode & stat.S_IWUSR), _closed(target.parent), owner
        )


def _closed(folder: Path) -> Path | None:
    """The folder, or the nearest one above it that exists, where nothing can be made in it."""
    while True:
        try:
            mode = folder.stat().st_mode
        except OSError:
            if folder == folder.parent:
                return None
            folder = folder.parent
            continue
        return None if mode & stat.S_IWUSR and os.access(folder, os.W_OK) else folder


def content_of(path: Path) -> bytes:
    """What a file holds; nothing where it cannot be read."""
    try:
        return path.read_bytes()
    except OSError:
        return b""
