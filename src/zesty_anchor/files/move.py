"""Moving a file, a link or a folder, between file systems too, so that a whole one exists at every moment."""

from __future__ import annotations

import errno
import os
import stat
from pathlib import Path

from zesty_anchor.files.digest import digest_of_file
from zesty_anchor.files.removal import discard_any, set_aside
from zesty_anchor.files.replace import beside_name, flush_folder, left_beside

_FLUSHES = 16
"""How many files are brought to disk at a time."""
_GOING = ".{name}.zesty-anchor-going"


def move(source: Path, target: Path) -> None:
    """Rename; between file systems copy beside the target, flush, compare, rename into place, and only then
    take the source away: in one rename too, so that no half of it is ever seen.

    Owners, modes, times, extended attributes and hard links stay as far as we may set them. Raises
    ``OSError``; the source is then whole.
    """
    try:
        source.rename(target)
    except OSError as error:
        if error.errno != errno.EXDEV:
            raise
    else:
        flush_folder(target.parent)
        flush_folder(source.parent)
        return
    _clear_beside(target)
    beside = beside_name(target)
    try:
        copy(source, beside)
        flush_tree(beside)
        if not same(source, beside):
            raise OSError(errno.EIO, "it was changed while it was copied", str(source))
        beside.rename(target)
        flush_folder(target.parent)
    finally:
        discard_any(beside)
    discard_any(_going(source))
    going = set_aside(source, _going(source))
    flush_folder(source.parent)
    discard_any(going)


def finish_move(source: Path, target: Path) -> None:
    """Take away what a move that was cut off left: a copy that was not whole yet, and what is left of its
    source, if it had come as far as that.
    """
    _clear_beside(target)
    if os.path.lexists(target) and not os.path.lexists(source):
        discard_any(_going(source))


def _clear_beside(target: Path) -> None:
    """Remove copies beside ``target`` that never got its name: what they are copies of is whole."""
    for path, name in left_beside(target.parent):
        if name == target.name:
            discard_any(path)


def _going(source: Path) -> Path:
    return source.with_name(_GOING.format(name=source.name))


def copy(source: Path, target: Path) -> None:
    """Copy a file, a link, a pipe or a folder with all in it; nothing may be at ``target``. Raises
    ``OSError``.
    """
    import shutil

    seen: dict[tuple[int, int], Path] = {}

    def one(source: Path, target: Path) -> None:
        status = source.lstat()
        kind = stat.S_IFMT(status.st_mode)
        if stat.S_ISDIR(kind):
            target.mkdir(mode=0o700)
            for entry in os.scandir(source):
                one(Path(entry.path), target / entry.name)
        elif status.st_nlink > 1 and (status.st_dev, status.st_ino) in seen:
            os.link(seen[status.st_dev, status.st_ino], target)
            return
        elif stat.S_ISLNK(kind):
            target.symlink_to(os.readlink(source))
        elif stat.S_ISREG(kind):
            shutil.copyfile(source, target, follow_symlinks=False)
        elif stat.S_ISFIFO(kind):
            os.mkfifo(target)
        else:
            raise OSError(
                errno.ENOTSUP, "it is no file, folder, link or pipe, so it cannot be copied", str(source)
            )
        seen[status.st_dev, status.st_ino] = target
        if os.geteuid() == 0:
            # Before the mode: a new owner takes the bits away that let others act as the owner (chown(2)).
            os.lchown(target, status.st_uid, status.st_gid)
        shutil.copystat(source, target, follow_symlinks=False)

    one(source, target)


def flush_tree(path: Path) -> None:
    """Bring a file, or a folder with all in it, to disk. Many at a time, since file systems write many out in
    one go; and not by syncfs(2), which waits for whatever others are writing too.
    """
    files, folders = [], []
    if path.is_symlink() or not path.is_dir():
        files = [str(path)]
    for root, _, names in os.walk(path):
        folders.append(root)
        files += [os.path.join(root, name) for name in names]
    from concurrent.futures import ThreadPoolExecutor

    with ThreadPoolExecutor(_FLUSHES) as pool:
        list(pool.map(_flush, files))
        list(pool.map(_flush, folders))


def _flush(path: str) -> None:
    status = os.lstat(path)
    if not (stat.S_ISREG(status.st_mode) or stat.S_ISDIR(status.st_mode)):
        return
    try:
        handle = os.open(path, os.O_RDONLY | os.O_NOFOLLOW | os.O_CLOEXEC)
    except PermissionError:
        return  # one that its own owner may not read
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


def same(one: Path, other: Path) -> bool:
    """Whether two files, links or folders hold the same names, kinds and bytes."""
    return _tree(one) == _tree(other)


def _tree(top: Path) -> dict[str, object]:
    if not top.is_dir() or top.is_symlink():
        return {"": _holds(top)}
    found: dict[str, object] = {}
    for root, names, files in os.walk(top):
        for name in (*names, *files):
            path = Path(root, name)
            found[str(path.relative_to(top))] = _holds(path)
    return found


def _holds(path: Path) -> str | int:
    kind = stat.S_IFMT(path.lstat().st_mode)
    if stat.S_ISLNK(kind):
        return os.readlink(path)
    if stat.S_ISREG(kind):
        return digest_of_file(path)
    return kind
