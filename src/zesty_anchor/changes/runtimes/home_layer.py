"""What a foreign program wrote in a layer over the home: read as a change set, and applied to the home by us.

The layer is an overlay (the kernel's Documentation/filesystems/overlayfs): a removed entry is a character
device 0:0, a folder that replaced another one has the attribute ``opaque``, and everything else is what was
written.
"""

from __future__ import annotations

import os
import stat
from collections.abc import Collection, Iterator
from contextlib import suppress
from pathlib import Path

import msgspec

from zesty_anchor.files.digest import digest_of_file
from zesty_anchor.files.move import move
from zesty_anchor.files.removal import discard_any

_OPAQUE = ("user.overlay.opaque", "trusted.overlay.opaque")


class Written(msgspec.Struct, frozen=True):
    """What was written, by whole paths in the home. ``new`` are entries that were not there, the outermost of
    each; ``changed`` are files and links that hold something else; ``removed`` are entries that were there.
    """

    new: tuple[Path, ...]
    changed: tuple[Path, ...]
    removed: tuple[Path, ...]


def written(upper: Path, home: Path, apart: Collection[Path] = (), split: Collection[Path] = ()) -> Written:
    """Read the change set. What is in a folder of ``apart`` is passed over; a new folder on the way to a path
    of ``split`` is not named itself, but what is in it.
    """
    new: list[Path] = []
    changed: list[Path] = []
    removed: list[Path] = []

    def below(folder: Path) -> None:
        real_folder = home / folder.relative_to(upper)
        names = set()
        for entry in sorted(os.scandir(folder), key=lambda entry: entry.name):
            names.add(entry.name)
            path, real = Path(entry.path), real_folder / entry.name
            if any(real == each or real.is_relative_to(each) for each in apart):
                continue
            status = entry.stat(follow_symlinks=False)
            if _is_removed(status):
                removed.extend([real] if os.path.lexists(real) else [])
            elif not os.path.lexists(real):
                if stat.S_ISDIR(status.st_mode) and any(real in each.parents for each in (*apart, *split)):
                    below(path)
                else:
                    new.append(real)
            elif stat.S_ISDIR(status.st_mode) and real.is_dir() and not real.is_symlink():
                below(path)
            elif not _same(path, real):
                changed.append(real)
        if _is_opaque(folder) and real_folder.is_dir():
            removed.extend(real_folder / name for name in sorted(set(os.listdir(real_folder)) - names))

    below(upper)
    return Written(tuple(new), tuple(changed), tuple(removed))


def place(upper: Path, home: Path, path: Path) -> Path:
    """Where the layer holds a path of the home."""
    return upper / path.relative_to(home)


def take(upper: Path, home: Path, path: Path, target: Path | None = None) -> None:
    """Move one entry from the layer to its place in the home, or to another ``target``, where nothing may be.
    Raises ``OSError``.
    """
    source, target = place(upper, home, path), target or path
    for each in (source, *(_below(source) if source.is_dir() and not source.is_symlink() else ())):
        if _is_removed(each.lstat()):
            discard_any(each)
        else:
            _plain(each)
    target.parent.mkdir(parents=True, exist_ok=True)
    move(source, target)


def _below(folder: Path) -> Iterator[Path]:
    for root, names, files in os.walk(folder):
        for name in (*names, *files):
            yield Path(root, name)


def _plain(path: Path) -> None:
    """Remove the attributes that the overlay set."""
    with suppress(OSError):
        for name in os.listxattr(path, follow_symlinks=False):
            if ".overlay." in name:
                os.removexattr(path, name, follow_symlinks=False)


def _is_removed(status: os.stat_result) -> bool:
    return stat.S_ISCHR(status.st_mode) and status.st_rdev == 0


def _is_opaque(folder: Path) -> bool:
    for name in _OPAQUE:
        with suppress(OSError):
            if os.getxattr(folder, name) == b"y":
                return True
    return False


def _same(one: Path, other: Path) -> bool:
    first, second = one.lstat(), other.lstat()
    if stat.S_IFMT(first.st_mode) != stat.S_IFMT(second.st_mode):
        return False
    if stat.S_ISLNK(first.st_mode):
        return os.readlink(one) == os.readlink(other)
    if not stat.S_ISREG(first.st_mode) or first.st_size != second.st_size:
        return not stat.S_ISREG(first.st_mode)
    return digest_of_file(one) == digest_of_file(other)
