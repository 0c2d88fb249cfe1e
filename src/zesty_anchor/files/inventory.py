"""What a folder holds, written down so that it can be told later what of it is still as it was."""

from __future__ import annotations

import os
import stat
from collections.abc import Callable, Iterator
from contextlib import suppress
from pathlib import Path

import msgspec

from zesty_anchor.files.digest import digest_of_file


class Item(msgspec.Struct, frozen=True, array_like=True):
    """One entry of a folder: ``kind`` is ``file``, ``folder``, ``link`` or ``other``. ``size`` is in bytes,
    ``changed`` the time of the last change of its content in nanoseconds, ``holds`` the SHA-256 of a file or
    where a link leads.
    """

    kind: str
    mode: int
    size: int = 0
    changed: int = 0
    holds: str = ""


Inventory = dict[str, Item]
"""The entries of a folder and below, by their paths in it."""


def take(folder: Path, *, without: frozenset[str] = frozenset(), digests: bool = True) -> Inventory:
    """Go through a folder. ``without`` are names at its top that are left out; with ``digests`` False files
    are not read.

    Raises ``OSError`` where something cannot be read.
    """
    return {name: _item(status, path, digests) for name, path, status in _walk(folder) if name not in without}


def item_at(path: Path, *, digests: bool = True) -> Item:
    """One entry as it is. Raises ``OSError``."""
    return _item(path.lstat(), path, digests)


def is_as(path: Path, was: Item) -> bool:
    """Whether an entry is there, and as it was."""
    return os.path.lexists(path) and _same(was, path.lstat(), path)


class Difference(msgspec.Struct, frozen=True):
    """An entry that is not as it was put there: its path in the folder, and in words what is the matter."""

    name: str
    what: str


MISSING = "is missing"


def differences(
    folder: Path,
    inventory: Inventory,
    *,
    passed: Callable[[str], bool] = lambda name: False,
    deep: bool = False,
) -> list[Difference]:
    """The entries of the inventory that are missing by now, or are not as they were; what came is none of
    them.

    A file of the same size, mode and time is taken to be the same, unless it is looked at ``deep``; one of
    another time is read. ``passed`` names those that are passed over.
    """
    found = []
    start = f"{folder}/"
    for name, was in inventory.items():
        if passed(name):
            continue
        try:
            what = _difference(was, os.lstat(start + name), start + name, deep)
        except (FileNotFoundError, NotADirectoryError):
            what = MISSING
        except OSError as error:
            what = f"cannot be read: {error.strerror}"
        if what:
            found.append(Difference(name, what))
    return found


def _difference(was: Item, status: os.stat_result, path: str, deep: bool) -> str:
    if was.kind != _kind(status):
        return f"is a {_kind(status)}, and was a {was.kind}"
    if was.kind == "file" and status.st_size == 0 < was.size:
        return "is empty"
    if not _same(was, status, path) or (
        deep and was.holds and was.kind == "file" and digest_of_file(Path(path)) != was.holds
    ):
        return "was changed"
    if was.kind != "link" and stat.S_IMODE(status.st_mode) != was.mode:
        return f"has mode {stat.S_IMODE(status.st_mode):o}, and had {was.mode:o}"
    return ""


def below(folder: Path, inventory: Inventory) -> Inventory:
    """Of an inventory by whole paths the part of one folder, by the paths in it."""
    start = f"{folder}/"
    return {name[len(start) :]: item for name, item in inventory.items() if name.startswith(start)}


def strangers(
    folder: Path, inventory: Inventory, *, ours: Callable[[str], bool] = lambda name: False
) -> list[Path]:
    """The entries that are not in the inventory, or hold something else by now: the outermost of those that
    came, and each file that differs. ``ours`` tells of further names that they belong to the folder's
    program, whatever they hold.
    """
    found: list[Path] = []
    for name, path, status in _walk(folder):
        if ours(name) or any(outer in path.parents for outer in found[-1:]):
            continue
        was = inventory.get(name)
        if was is None or not _same(was, status, path):
            found.append(path)
    return found


def remove_same(folder: Path, inventory: Inventory) -> None:
    """Remove those entries of a folder that are as the inventory has them, and folders as far as they are
    empty then.
    """
    for name, was in sorted(inventory.items(), reverse=True):
        path = folder / name
        with suppress(FileNotFoundError):
            if was.kind != "folder" and _same(was, path.lstat(), path):
                path.unlink()
            elif was.kind == "folder" and path.is_dir() and not any(path.iterdir()):
                path.rmdir()


def _walk(folder: Path) -> Iterator[tuple[str, Path, os.stat_result]]:
    """Every entry, a folder before what is in it; links are not followed."""
    start = len(os.fspath(folder)) + 1

    def below(place: str) -> Iterator[tuple[str, Path, os.stat_result]]:
        with os.scandir(place) as entries:
            listed = sorted(entries, key=lambda entry: entry.name)
        for entry in listed:
            status = entry.stat(follow_symlinks=False)
            yield (
                os.fsencode(entry.path[start:]).decode("utf-8", "backslashreplace"),
                Path(entry.path),
                status,
            )
            if stat.S_ISDIR(status.st_mode):
                yield from below(entry.path)

    yield from below(os.fspath(folder))


def _kind(status: os.stat_result) -> str:
    if stat.S_ISREG(status.st_mode):
        return "file"
    if stat.S_ISDIR(status.st_mode):
        return "folder"
    return "link" if stat.S_ISLNK(status.st_mode) else "other"


def _item(status: os.stat_result, path: Path, digests: bool) -> Item:
    kind, mode = _kind(status), stat.S_IMODE(status.st_mode)
    if kind == "file":
        return Item(kind, mode, status.st_size, status.st_mtime_ns, digest_of_file(path) if digests else "")
    return Item(kind, mode, holds=os.fsdecode(os.readlink(path)) if kind == "link" else "")


def _same(was: Item, status: os.stat_result, path: Path | str) -> bool:
    """Whether an entry is what it was. A file of the same size and time is; one of another time is read."""
    if was.kind != _kind(status):
        return False
    if was.kind == "link":
        return os.readlink(path) == was.holds
    if was.kind != "file":
        return True
    if was.size != status.st_size:
        return False
    return was.changed == status.st_mtime_ns or (was.holds != "" and digest_of_file(Path(path)) == was.holds)
