"""Updates the installed versions after the home was moved: links, and texts that contain its path."""

from __future__ import annotations

import mmap
import os
import stat
from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path

import msgspec

from zesty_anchor.files.home_move import HomeMove
from zesty_anchor.files.inventory import item_at
from zesty_anchor.files.replace import beside_name, replace
from zesty_anchor.shelf.receipt import FILE_NAME, SLIPS, Receipt, files_in, put_files, read, write

_MOST_TEXT = 4 << 20
"""Bytes of the largest file that is taken for a text."""


class Followed(msgspec.Struct, frozen=True):
    """How many files and links name the new home now, and the versions (``NAME VERSION``) with programs that
    have the old one compiled in: those are to be installed again.
    """

    written: int = 0
    compiled_in: tuple[str, ...] = ()


def follow_shelf(shelf: Path, move: HomeMove) -> Followed:
    """Update each version. What is not ours to write (a link's target elsewhere) stays."""
    written = 0
    compiled_in = []
    for runtime in _folders(shelf):
        for version in sorted(runtime.iterdir()):
            written += _follow_link(version, move)
            if version.is_dir() and not version.is_symlink():
                changed, compiled = _follow_version(version, move)
                written += changed
                compiled_in += [f"{runtime.name} {version.name}"] if compiled else []
    return Followed(written, tuple(compiled_in))


def _follow_version(version: Path, move: HomeMove) -> tuple[int, bool]:
    files, changed, compiled = files_in(version), [], False
    receipt = read(version)
    if receipt is None:
        return 0, False
    for path, status in _walk(version):
        name = os.fsencode(os.path.relpath(path, version)).decode("utf-8", "backslashreplace")
        if name in SLIPS:
            continue
        if stat.S_ISLNK(status.st_mode):
            done = _follow_link(path, move)
        elif stat.S_ISREG(status.st_mode) and _speaks_of(path, status.st_size, move.old):
            done = _follow_text(path, status, move)
            compiled |= not done and not name.endswith(".pyc")
        else:
            done = False
        if done:
            changed.append((name, path))
    if files is not None and changed:
        put_files(version, {**files, **{name: item_at(path) for name, path in changed if name in files}})
    _follow_receipt(version, receipt, move)
    return len(changed), compiled


def follow_receipt(folder: Path, move: HomeMove) -> None:
    """The same for a manager that is elsewhere in the home, with a link on the shelf: only its receipt is
    ours.
    """
    receipt = read(folder) if (folder / FILE_NAME).is_file() else None
    if receipt is not None:
        _follow_receipt(folder, receipt, move)


def _follow_receipt(folder: Path, receipt: Receipt, move: HomeMove) -> None:
    adopted = {name: os.fsdecode(move.content(os.fsencode(text))) for name, text in receipt.adopted.items()}
    home = move.path(receipt.home) if receipt.home is not None else None
    moved = msgspec.structs.replace(receipt, adopted=adopted, home=home)
    if moved != receipt:
        write(folder, moved)


def _follow_link(path: Path, move: HomeMove) -> bool:
    if not path.is_symlink():
        return False
    leads = os.readlink(path)
    moved = move.path(leads)
    if moved == leads:
        return False
    beside = beside_name(path)
    beside.symlink_to(moved)
    beside.replace(path)
    return True


def _follow_text(path: Path, status: os.stat_result, move: HomeMove) -> bool:
    """Whether the file was a text, and names the new home now."""
    if status.st_size > _MOST_TEXT or status.st_nlink > 1:
        return False
    content = path.read_bytes()
    moved = move.content(content)
    if b"\0" in content or moved == content:
        return False
    with suppress(OSError):
        replace(path, moved, stat.S_IMODE(status.st_mode), lasting=False)
        return True
    return False


def _speaks_of(path: Path, size: int, home: str) -> bool:
    if not size:
        return False
    try:
        with path.open("rb") as file, mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ) as content:
            return content.find(os.fsencode(home) + b"/") >= 0
    except (OSError, ValueError):
        return False


def _folders(folder: Path) -> list[Path]:
    return (
        sorted(path for path in folder.iterdir() if path.is_dir() and not path.is_symlink())
        if folder.is_dir()
        else []
    )


def _walk(folder: Path) -> Iterator[tuple[Path, os.stat_result]]:
    for root, names, files in os.walk(folder):
        for name in (*names, *files):
            path = Path(root, name)
            yield path, path.lstat()
