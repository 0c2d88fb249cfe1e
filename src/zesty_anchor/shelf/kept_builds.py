"""What was built is kept, so that the same source, with the same options on the same system, is not built
twice.
"""

from __future__ import annotations

import hashlib
import itertools
import os
import tarfile
from collections.abc import Mapping
from contextlib import suppress
from pathlib import Path

import msgspec

from zesty_anchor.files import own_folders
from zesty_anchor.files.removal import discard, discard_any
from zesty_anchor.files.replace import beside_name, replace
from zesty_anchor.shelf.bounds import Bounds
from zesty_anchor.shelf.build import Pace
from zesty_anchor.shelf.unpack import unpack_tar
from zesty_anchor.system.held import hold
from zesty_anchor.system.ownership import in_other_hands
from zesty_anchor.system.problem import Problem

_LEVEL = 3
_MOST = 8 << 30
"""Bytes that a build may unpack to: it was made by this program, and its digest was noted with it."""
_MOST_NOTES, _LONGEST_NOTE = 10_000, 1 << 16
"""As many notes of a folder are read, and as many bytes of each."""


class Made(msgspec.Struct, frozen=True):
    """How a build was made: the folder that it was built for, the runtime and version, the system, and the
    day (YYYY-MM-DD). ``alike`` is its key on any machine of that system, whatever versions its packages have.
    All but the first are empty in what an earlier version of this program kept.
    """

    prefix: str
    alike: str = ""
    what: str = ""
    system: str = ""
    day: str = ""


class _Note(Made, frozen=True, kw_only=True):
    """Beside a kept build: that, and the archive's digest."""

    sha256: str


class KeptBuilds:
    """Those in a folder of ours, each under a key; and the pace of the last build of each runtime."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder

    @staticmethod
    def key(parts: Mapping[str, object]) -> str:
        """One name for all that a build depends on. Pure."""
        return hashlib.sha256(msgspec.json.encode(parts, order="sorted")).hexdigest()

    def pace(self, runtime: str) -> Pace | None:
        """That of the last build; None where there was none."""
        try:
            return msgspec.json.decode((self._folder / f"{runtime}.pace.json").read_bytes(), type=Pace)
        except (OSError, msgspec.MsgspecError):
            return None

    def took(self, runtime: str, pace: Pace) -> None:
        """Note how long one took."""
        own_folders.make(self._folder)
        self._write(f"{runtime}.pace.json", msgspec.json.encode(pace))

    def size(self) -> int:
        """Bytes of all of them."""
        with suppress(OSError):
            return sum(entry.stat().st_size for entry in os.scandir(self._folder))
        return 0

    def archives(self) -> list[tuple[Path, Path | None]]:
        """The archive of each kept build, and the folder that it was built for (None: its note cannot be
        read).
        """
        found: list[tuple[Path, Path | None]] = []
        for file in sorted(self._folder.glob("*.tar.zst")):
            try:
                note = msgspec.json.decode((file.parent / f"{file.name[:-8]}.json").read_bytes(), type=_Note)
            except (OSError, msgspec.MsgspecError):
                found.append((file, None))
            else:
                found.append((file, Path(note.prefix)))
        return found

    def keep(self, key: str, built: Path, made: Made) -> None:
        """Keep what was built into ``built``. Raises ``OSError``: then it is not kept."""
        import zstandard

        own_folders.make(self._folder)
        beside = beside_name(self._folder / f"{key}.tar.zst")
        try:
            with beside.open("x+b") as file:
                hold(file.fileno())
                with (
                    zstandard.ZstdCompressor(_LEVEL, threads=-1).stream_writer(file, closefd=False) as packed,
                    tarfile.open(fileobj=packed, mode="w|", format=tarfile.PAX_FORMAT) as archive,
                ):
                    archive.add(built, arcname=".")
                file.seek(0)
                digest = hashlib.file_digest(file, "sha256").hexdigest()
                beside.rename(self._folder / f"{key}.tar.zst")
        finally:
            discard(beside)
        note = _Note(**msgspec.structs.asdict(made), sha256=digest)
        self._write(f"{key}.json", msgspec.json.encode(note))

    def alike(self, alike: str) -> str | None:
        """The key of a build that another machine of the same system made; None where there is none. Raises
        ``Problem`` where somebody else than this user and root may change one.
        """
        for file in itertools.islice(sorted(self._folder.glob("*.json")), _MOST_NOTES):
            with suppress(OSError, msgspec.MsgspecError):
                with file.open("rb") as opened:
                    note = msgspec.json.decode(opened.read(_LONGEST_NOTE), type=_Note)
                if note.alike == alike:
                    for each in (file, self._folder / f"{file.stem}.tar.zst"):
                        if why := in_other_hands(each):
                            raise Problem(f"{each} is not believed: {why}")
                    return file.stem
        return None

    def made(self, key: str) -> _Note | None:
        """How a kept build was made; None where none is kept."""
        try:
            return msgspec.json.decode((self._folder / f"{key}.json").read_bytes(), type=_Note)
        except (OSError, msgspec.MsgspecError):
            return None

    def restore(self, key: str, out: Path) -> Made | None:
        """Put a kept build into an empty folder, and return how it was made. None where none is kept, or it
        is damaged.
        """
        file = self._folder / f"{key}.tar.zst"
        note = self.made(key)
        if note is None:
            return None
        try:
            with file.open("rb") as source:
                if hashlib.file_digest(source, "sha256").hexdigest() != note.sha256:
                    return None
                source.seek(0)
                unpack_tar(source, out, bounds=Bounds(_MOST, named=True))
        except (OSError, Problem):
            for entry in list(out.iterdir()):
                discard_any(entry)
            return None
        return note

    def _write(self, name: str, content: bytes) -> None:
        replace(self._folder / name, content, lasting=False)
