"""A program that comes as one file, not as an archive, compressed or not."""

from __future__ import annotations

import lzma
import shutil
import zlib
from pathlib import Path

from zesty_anchor.shelf.bounds import Bounds
from zesty_anchor.shelf.inflate import CHUNK, Source, inflated
from zesty_anchor.shelf.members import ArchiveRefused
from zesty_anchor.shelf.unpack import is_zip

_HEAD = 512
"""Bytes of a tar archive's first header, where it says what it is (pax(1), "ustar Interchange Format")."""


def is_tar(first: bytes) -> bool:
    """Whether an uncompressed file that begins so is a tar archive. Pure."""
    return first[257:262] == b"ustar"


def _check_no_archive(start: bytes, first: bytes, command: str) -> None:
    kind = "zip" if is_zip(start) else "tar" if is_tar(first) else ""
    if kind:
        raise ArchiveRefused(
            f"it is a {kind} archive, and the recipe says that it is the command itself",
            command,
            "take binary = true out of the recipe",
        )


def put_single(source: Source, folder: Path, *, bounds: Bounds, command: str) -> None:
    """Put what arrives into ``folder`` as the command ``command``, to be run. Raises ``ArchiveRefused`` where
    it is damaged, empty, or beyond its bounds.
    """
    start = source.read(CHUNK)
    if not start:
        raise ArchiveRefused("it is empty", command)
    file = folder / command
    file.parent.mkdir(parents=True, exist_ok=True)
    try:
        with file.open("xb") as written:
            content = inflated(start, source, bounds)
            first = content.read(_HEAD)
            _check_no_archive(start, first, command)
            written.write(first)
            shutil.copyfileobj(content, written, CHUNK)
    except (zlib.error, lzma.LZMAError, EOFError, ValueError) as error:
        raise ArchiveRefused(f"it is damaged: {error}", command) from None
    file.chmod(0o755)
