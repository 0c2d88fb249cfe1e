"""Replacing a file: the only way in which this program writes one that may be there already."""

from __future__ import annotations

import os
import stat
from pathlib import Path

_BESIDE = ".{name}.zesty-anchor-{process}"


def replace(
    target: Path,
    content: bytes,
    mode: int | None = None,
    *,
    lasting: bool = True,
    times_ns: tuple[int, int] | None = None,
) -> None:
    """Write a file beside ``target``, flush it, rename it into place, and flush the folder (rename(2), fsync(2)).

    A link is followed and kept. ``mode`` is the file's; None keeps the mode that it has, or gives 0o644 to a new one.
    The owner is kept where we may give it. With ``lasting`` False nothing is flushed: for what can be made again.
    ``times_ns`` are its times of access and change, in nanoseconds, where they are not to be those of now.
    Raises ``OSError``; the file is then as it was.
    """
    target = Path(os.path.realpath(target))
    try:
        before = target.stat()
    except FileNotFoundError:
        before = None
    if mode is None:
        mode = stat.S_IMODE(before.st_mode) if before else 0o644
    beside = target.with_name(_BESIDE.format(name=target.name, process=os.getpid()))
    try:
        handle = os.open(beside, os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW | os.O_CLOEXEC, 0o600)
        with open(handle, "wb") as out:
            out.write(content)
            out.flush()
            if before is not None and os.geteuid() == 0:
                os.fchown(out.fileno(), before.st_uid, before.st_gid)
            os.fchmod(out.fileno(), mode)
            if lasting:
                os.fsync(out.fileno())
            if times_ns is not None:
                os.utime(out.fileno(), ns=times_ns)
        beside.replace(target)
    finally:
        beside.unlink(missing_ok=True)
    if lasting:
        flush_folder(target.parent)


def flush_folder(folder: Path) -> None:
    """Bring the names in a folder to disk (fsync(2), "NOTES")."""
    handle = os.open(folder, os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)
