"""Unpacking tar (plain, gz, xz, bz2, zst) from a stream and zip from a file, through the gate."""

from __future__ import annotations

import bz2
import io
import lzma
import os
import shutil
import stat
import tarfile
import zipfile
import zlib
from pathlib import Path
from typing import IO, Protocol, cast

from zesty_anchor.problem import Problem
from zesty_anchor.shelf.members import ArchiveRefused, Gate

CHUNK = 1 << 18
_ZIP = b"PK\x03\x04"
_MAGIC = {b"\x1f\x8b": "gz", b"\xfd7zXZ\x00": "xz", b"BZh": "bz2", b"\x28\xb5\x2f\xfd": "zst"}


class Source(Protocol):
    """Bytes that arrive."""

    def read(self, size: int, /) -> bytes:
        """Up to ``size`` bytes, empty at the end."""


def is_zip(start: bytes) -> bool:
    """Whether a file that begins so is a zip archive (which is read from its end, so not from a stream)."""
    return start.startswith(_ZIP)


def unpack_tar(source: Source, folder: Path) -> None:
    """Unpack a tar archive, compressed or not, that arrives in ``source`` into an empty folder.

    Raises ``ArchiveRefused`` or ``Problem``; the folder is then to be thrown away.
    """
    start = source.read(CHUNK)
    try:
        with tarfile.open(fileobj=_inflated(start, source), mode="r|", bufsize=CHUNK) as archive:
            _unpack_members(archive, folder)
    except (tarfile.TarError, zlib.error, lzma.LZMAError, EOFError, ValueError) as error:
        raise _damaged(start, error) from None
    except OSError as error:
        if error.errno is None:  # bz2 and gzip raise a bare OSError for damaged data
            raise _damaged(start, error) from None
        raise


def unpack_zip(file: Path, folder: Path) -> None:
    """Unpack a zip archive into an empty folder. Raises as ``unpack_tar`` does."""
    gate = Gate()
    try:
        with zipfile.ZipFile(file) as archive:
            for info in archive.infolist():
                _unpack_zipped(archive, info, folder, gate)
    except (zipfile.BadZipFile, zlib.error, EOFError, NotImplementedError) as error:
        raise _damaged(b"", error) from None
    _check_links(folder, gate)


def _damaged(start: bytes, error: Exception) -> Problem:
    shown = start[:24].decode("utf-8", "replace").strip()
    kind = next((k for magic, k in _MAGIC.items() if start.startswith(magic)), "")
    return Problem(
        f"the archive cannot be unpacked: {error}" if kind or not start else "what was fetched is no archive",
        where=f"it begins with {shown!r}" if start and not kind else "",
        advice="tar (plain, gz, xz, bz2, zst) and zip are understood; run the command again to fetch it anew",
    )


def _inflated(start: bytes, source: Source) -> IO[bytes]:
    whole = _Joined(start, source)
    kind = next((k for magic, k in _MAGIC.items() if start.startswith(magic)), "")
    if kind == "zst":
        import zstandard

        return zstandard.ZstdDecompressor().stream_reader(
            cast(IO[bytes], whole), read_size=CHUNK, read_across_frames=True
        )
    if kind:
        return cast(IO[bytes], _Inflating(whole, kind))
    return cast(IO[bytes], whole)


class _Joined(io.RawIOBase):
    """The bytes already read, then the rest of the source."""

    def __init__(self, start: bytes, source: Source) -> None:
        self._start = start
        self._source = source

    def readable(self) -> bool:
        return True

    def read(self, size: int = -1, /) -> bytes:
        if self._start:
            given, self._start = self._start[:size], self._start[size:]
            return given
        return self._source.read(size)


class _Inflating(io.RawIOBase):
    """Decompresses gz, xz or bz2, members one after the other (RFC 1952 section 2.2 allows several)."""

    def __init__(self, source: Source, kind: str) -> None:
        self._source = source
        self._kind = kind
        self._decoder = self._fresh()
        self._ready = bytearray()
        self._ended = False

    def readable(self) -> bool:
        return True

    def _fresh(self) -> _Decoder:
        if self._kind == "gz":
            return zlib.decompressobj(wbits=31)
        return lzma.LZMADecompressor() if self._kind == "xz" else bz2.BZ2Decompressor()

    def read(self, size: int = -1, /) -> bytes:
        while not self._ended and (size < 0 or len(self._ready) < size):
            self._feed()
        end = len(self._ready) if size < 0 else size
        given = bytes(self._ready[:end])
        del self._ready[:end]
        return given

    def _feed(self) -> None:
        chunk = self._source.read(CHUNK)
        if not chunk:
            if not self._decoder.eof:
                raise EOFError("it ends too early")
            self._ended = True
            return
        if self._decoder.eof:
            self._decoder = self._fresh()
        while chunk:
            self._ready += self._decoder.decompress(chunk)
            chunk = self._decoder.unused_data
            if self._decoder.eof and chunk.strip(b"\0"):
                self._decoder = self._fresh()
            elif self._decoder.eof:
                chunk = b""


class _Decoder(Protocol):
    @property
    def eof(self) -> bool: ...
    @property
    def unused_data(self) -> bytes: ...
    def decompress(self, data: bytes, /) -> bytes: ...


def _unpack_members(archive: tarfile.TarFile, folder: Path) -> None:
    gate = Gate()
    root = str(folder)
    folders: list[tuple[str, float]] = []
    known = {""}
    for member in archive:
        path = gate.place(member.name)
        full = f"{root}/{path}"
        if member.isdir():
            gate.mode(member.name, member.mode & ~stat.S_ISGID)
            os.makedirs(full, exist_ok=True)
            folders.append((full, member.mtime))
            continue
        parent = path.rpartition("/")[0]
        if parent not in known:
            os.makedirs(f"{root}/{parent}", exist_ok=True)
            known.add(parent)
        if member.isreg():
            mode = gate.mode(member.name, member.mode)
            data = archive.extractfile(member)
            assert data is not None
            _write(full, data, member.size, mode, member.mtime)
        elif member.issym():
            gate.link(member.name, path, member.linkname)
            _replace(full)
            os.symlink(member.linkname, full)
        elif member.islnk():
            _hard_link(root, full, gate.place(member.linkname), member.name)
        elif member.type not in (tarfile.XHDTYPE, tarfile.XGLTYPE):
            what = (
                "a device file"
                if member.isdev() and not member.isfifo()
                else "a named pipe"
                if member.isfifo()
                else "a member of an unknown kind"
            )
            raise gate.special(member.name, what)
    _check_links(folder, gate)
    for full, moment in reversed(folders):
        os.utime(full, (moment, moment))


def _write(full: str, data: IO[bytes], size: int, mode: int, moment: float) -> None:
    try:
        handle = os.open(full, os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW, mode)
    except FileExistsError:
        _replace(full)
        handle = os.open(full, os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW, mode)
    with open(handle, "wb", buffering=0) as out:
        shutil.copyfileobj(data, out, CHUNK)
        os.fchmod(out.fileno(), mode)
        os.utime(out.fileno(), (moment, moment))


def _replace(full: str) -> None:
    """An archive may hold a path twice; the later one counts, as tar(1) has it."""
    if os.path.lexists(full):
        os.unlink(full)


def _hard_link(root: str, full: str, target: str, name: str) -> None:
    source = f"{root}/{target}"
    if not os.path.isfile(source) or os.path.islink(source):
        raise ArchiveRefused(f"a hard link leads to {target!r}, which is no file of the archive", name)
    _replace(full)
    os.link(source, full)


def _check_links(folder: Path, gate: Gate) -> None:
    """A chain of links, each harmless alone, may still lead outside: follow each to its end."""
    root = os.path.realpath(folder)
    for path in gate.links:
        if os.path.commonpath([root, os.path.realpath(f"{root}/{path}")]) != root:
            raise ArchiveRefused("a link leads outside through another link", path)


def _unpack_zipped(archive: zipfile.ZipFile, info: zipfile.ZipInfo, folder: Path, gate: Gate) -> None:
    path = gate.place(info.filename)
    full = f"{folder}/{path}"
    mode = info.external_attr >> 16
    if info.is_dir():
        os.makedirs(full, exist_ok=True)
        return
    os.makedirs(os.path.dirname(full), exist_ok=True)
    if stat.S_ISLNK(mode):
        target = os.fsdecode(archive.read(info))
        gate.link(info.filename, path, target)
        _replace(full)
        os.symlink(target, full)
        return
    if stat.S_IFMT(mode) not in (0, stat.S_IFREG):
        raise gate.special(info.filename, "a device file or another special file")
    moment = _moment(info)
    with archive.open(info) as data:
        _write(full, data, info.file_size, gate.mode(info.filename, mode), moment)


def _moment(info: zipfile.ZipInfo) -> float:
    import time

    return time.mktime((*info.date_time, 0, 0, -1))
