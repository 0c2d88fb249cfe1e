"""Replacing a file: the only way in which this program writes one that may be there already."""

from __future__ import annotations

import itertools
import os
import re
import stat
from collections.abc import Iterator
from pathlib import Path

from zesty_anchor.system.held import hold, left

_IS_BESIDE = r"(?s)\A\.(.+)\.zesty-anchor-([0-9]+)(?:\.[0-9]+)?\Z"


class Changed(OSError):
    """A file is not what it was when it was read, or is there where there was none."""


_ANY = object()


def replace(
    target: Path,
    content: bytes,
    mode: int | None = None,
    *,
    lasting: bool = True,
    times_ns: tuple[int, int] | None = None,
    instead_of: object = _ANY,
) -> None:
    """Write a file beside ``target``, flush it, rename it into place, and flush the folder (rename(2),
    fsync(2)).

    A link is followed and kept. ``mode`` is the file's; None keeps the mode that it has, or gives 0o644 to a
    new one. The owner is kept where we may give it. With ``lasting`` False nothing is flushed: for what can
    be made again. ``times_ns`` are its times of access and change, in nanoseconds, where they are not to be
    those of now. ``instead_of`` are the bytes that are to be there still when all is written (None: no file).
    Raises ``Changed`` where they are not, and ``OSError``; the file is then as it was.
    """
    target = Path(os.path.realpath(target))
    try:
        before = target.stat()
    except FileNotFoundError:
        before = None
    if mode is None:
        mode = stat.S_IMODE(before.st_mode) if before else 0o644
    beside = beside_name(target)
    handle = os.open(beside, os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW | os.O_CLOEXEC, 0o600)
    try:
        with open(handle, "wb") as out:
            hold(out.fileno())
            out.write(content)
            out.flush()
            if before is not None and os.geteuid() == 0:
                os.fchown(out.fileno(), before.st_uid, before.st_gid)
            os.fchmod(out.fileno(), mode)
            if lasting:
                os.fsync(out.fileno())
            if times_ns is not None:
                os.utime(out.fileno(), ns=times_ns)
            if instead_of is None:
                _name_new(beside, target)
            else:
                if instead_of is not _ANY and content_of(target) != instead_of:
                    raise Changed(f"{target} was changed meanwhile")
                beside.replace(target)
    finally:
        beside.unlink(missing_ok=True)
    if lasting:
        flush_folder(target.parent)


def remove(target: Path) -> None:
    """Remove a file or a link, and flush the folder. Nothing there is no error."""
    try:
        target.unlink()
    except FileNotFoundError:
        return
    flush_folder(target.parent)


def _name_new(beside: Path, target: Path) -> None:
    """Give a file its name, where nothing has that name (link(2) never overwrites, as rename(2) does)."""
    try:
        os.link(beside, target)
    except FileExistsError:
        raise Changed(f"{target} was made meanwhile") from None
    except OSError:
        # A file system without hard links.
        if os.path.lexists(target):
            raise Changed(f"{target} was made meanwhile") from None
        beside.replace(target)


def content_of(file: Path) -> bytes | None:
    """A file's bytes; None where there is none."""
    try:
        return file.read_bytes()
    except FileNotFoundError:
        return None


def flush_folder(folder: Path) -> None:
    """Bring the names in a folder to disk (fsync(2), "NOTES")."""
    handle = os.open(folder, os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


def beside_name(target: Path) -> Path:
    """A name beside ``target`` that nothing has, for this process to write to before it renames. In a
    container, one that was killed may have had our number.
    """
    first = target.with_name(f".{_fitting(target.name)}.zesty-anchor-{os.getpid()}")
    more = (first.with_name(f"{first.name}.{number}") for number in itertools.count(1))
    return next(each for each in itertools.chain([first], more) if not os.path.lexists(each))


def _fitting(name: str) -> str:
    """A name cut so that ours fits also installed: file systems take 255 bytes (limits.h(7), NAME_MAX). What
    is beside a file of a longer name goes by its age alone.
    """
    return (
        name
        if len(os.fsencode(name)) <= _LONGEST_NAME
        else os.fsencode(name)[:_LONGEST_NAME].decode("utf-8", "ignore")
    )


_LONGEST_NAME = 200


def left_beside(folder: Path) -> Iterator[tuple[Path, str]]:
    """The files of that kind in a folder that nobody holds any more, each with the name that it was to get.
    Nobody else has it before the next one is asked for.
    """
    try:
        entries = os.listdir(folder)
    except OSError:
        return
    for name in entries:
        found = re.match(_IS_BESIDE, name)
        if not found:
            continue
        with left(folder / name, int(found[2])) as alone:
            if alone:
                yield folder / name, found[1]
