"""A program that comes as one file, not as an archive, compressed or not."""

from __future__ import annotations

import lzma
import shutil
import zlib
from pathlib import Path

from zesty_anchor.shelf.bounds import Bounds
from zesty_anchor.shelf.inflate import CHUNK, Source, inflated
from zesty_anchor.shelf.members import ArchiveRefused


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
            shutil.copyfileobj(inflated(start, source, bounds), written, CHUNK)
    except (zlib.error, lzma.LZMAError, EOFError, ValueError) as error:
        raise ArchiveRefused(f"it is damaged: {error}", command) from None
    file.chmod(0o755)
