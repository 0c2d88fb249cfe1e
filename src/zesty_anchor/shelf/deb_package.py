"""Unpacking Debian's binary packages (deb(5)) without privilege, and making one tree of those that belong
together.
"""

from __future__ import annotations

import os
import re
from collections.abc import Iterator, Sequence
from pathlib import Path

from zesty_anchor.shelf.bounds import Bounds
from zesty_anchor.shelf.inflate import Source
from zesty_anchor.shelf.members import ArchiveRefused, Gate
from zesty_anchor.shelf.unpack import unpack_tar
from zesty_anchor.system.problem import Problem

_MAGIC = b"!<arch>\n"
_HEADER = re.compile(rb"(.{16}).{32}(\d+) *`\n", re.DOTALL)
_HEADER_SIZE = 60
REST = "package"
"""The folder of a version that holds what its packages have outside of the version itself."""
_MOST_LINKS = 40
"""As many links as a system follows on one way (path_resolution(7))."""
_LEFT_OUT = ("usr/share/doc", "usr/share/man", "usr/share/lintian", "usr/share/bug")


def unpack_deb(source: Source, folder: Path, bounds: Bounds | None = None) -> None:
    """Unpack the files of a binary package, as it arrives, into an empty folder. Its links stay as they are,
    to be settled by ``merge``; no path of the package may lead through one.

    Raises ``ArchiveRefused`` or ``Problem``; the folder is then to be thrown away.
    """
    for name, member in _members(source):
        if name.startswith("data.tar"):
            unpack_tar(member, folder, Gate(within=False), bounds)
            member.skip()
            return
    raise Problem("the package holds no files (deb(5): data.tar)", advice="tell whoever runs the archive")


def _members(source: Source) -> Iterator[tuple[str, _Member]]:
    whole = _Exactly(source)
    if whole.read(len(_MAGIC)) != _MAGIC:
        raise Problem("what was fetched is no Debian package", advice="check the address of the archive")
    while header := whole.read(_HEADER_SIZE):
        found = _HEADER.fullmatch(header)
        if found is None:
            raise Problem("the package is damaged: a member without a header", advice="run the command again")
        member = _Member(whole, int(found[2]))
        yield found[1].decode("ascii", "replace").strip().rstrip("/"), member
        member.skip()


class _Exactly:
    """Reads just as many bytes as are asked for, but at the end."""

    def __init__(self, source: Source) -> None:
        self._source = source

    def read(self, size: int) -> bytes:
        parts = []
        while size and (chunk := self._source.read(size)):
            parts.append(chunk)
            size -= len(chunk)
        return b"".join(parts)


class _Member:
    """One member of the package; what follows it stays unread. Members begin at even places."""

    def __init__(self, whole: _Exactly, size: int) -> None:
        self._whole = whole
        self._left = size
        self._odd = size % 2

    def read(self, size: int, /) -> bytes:
        chunk = self._whole.read(min(size, self._left))
        if self._left and not chunk:
            raise EOFError("it ends too early")
        self._left -= len(chunk)
        return chunk

    def skip(self) -> None:
        """Read to its end, and to where the next one begins."""
        while self._left:
            self.read(1 << 18)
        self._whole.read(self._odd)
        self._odd = 0


def merge(trees: Sequence[Path], root: str, folder: Path) -> None:
    """Make one version of packages that were unpacked, each into a tree of its own: what is below ``root``
    becomes the version's folder, the rest goes into ``REST`` inside of it.

    A link, relative or into the system's tree, leads into the version where one of the packages brings what
    it leads to, else it is left to the system. Raises ``Problem`` where no package has such a root,
    ``ArchiveRefused`` where two of them have the same file.
    """
    prefix = _root_in(trees, root)
    links: dict[str, str] = {}
    for tree in trees:
        for path in _paths(tree):
            if path.startswith(_LEFT_OUT):
                continue
            source = tree / path
            if source.is_symlink():
                links[path] = os.readlink(source)
                continue
            target = folder / _moved(path, prefix)
            if os.path.lexists(target):
                raise ArchiveRefused("another package of the version holds the same file", path)
            target.parent.mkdir(parents=True, exist_ok=True)
            source.rename(target)
    brought = {path: _end(path, links) for path in links}
    for path, end in brought.items():
        own = folder / _moved(path, prefix)
        own.parent.mkdir(parents=True, exist_ok=True)
        inside = folder / _moved(end, prefix)
        leads = os.path.relpath(inside, own.parent) if os.path.lexists(inside) else f"/{end}"
        if os.path.lexists(own):
            raise ArchiveRefused("another package of the version holds the same file", path)
        own.symlink_to(leads)


def _root_in(trees: Sequence[Path], pattern: str) -> str:
    if ".." in pattern.split("/") or pattern.startswith("/"):
        raise Problem(f"{pattern!r} leads out of the package", advice="fix root in the recipe")
    found = {
        str(p.relative_to(tree)) for tree in trees for p in tree.glob(pattern or "*") if not p.is_symlink()
    }
    if len(found) != 1:
        seen = f"there are {', '.join(sorted(found))}" if found else "there is none"
        raise Problem(
            f"the packages hold no single folder {pattern!r}: {seen}", advice="fix root in the recipe"
        )
    return found.pop()


def _paths(tree: Path) -> Iterator[str]:
    """Every file and link in a tree, relative to it; links are not followed."""
    for where, folders, files in os.walk(tree):
        for name in (*files, *(each for each in folders if os.path.islink(os.path.join(where, each)))):
            yield os.path.relpath(os.path.join(where, name), tree)


def _moved(path: str, prefix: str) -> str:
    """Where a path of the packages is in the version."""
    return (
        path[len(prefix) + 1 :]
        if path.startswith(prefix + "/")
        else "."
        if path == prefix
        else f"{REST}/{path}"
    )


def _end(path: str, links: dict[str, str]) -> str:
    """Where a path of the packages is in the end, by way of their own links; it never leaves the system's
    tree.
    """
    for _ in range(_MOST_LINKS):
        through = next((each for each in _downwards(path) if each in links), None)
        if through is None:
            return path
        leads = os.path.join("/", os.path.dirname(through), links[through])
        path = os.path.normpath(leads + path[len(through) :]).lstrip("/")
    raise ArchiveRefused("its links lead round in a circle", path)


def _downwards(path: str) -> Iterator[str]:
    """The folders above a path, the outermost first, then the path."""
    parts = path.split("/")
    for end in range(1, len(parts) + 1):
        yield "/".join(parts[:end])
