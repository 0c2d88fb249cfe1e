"""Unpacking tar (plain, gz, xz, bz2, zst) from a stream and zip from a file, through the gate."""

from __future__ import annotations

import bz2
import io
import lzma
import os
import shutil
import stat
import struct
import tarfile
import time
import zipfile
import zlib
from pathlib import Path
from typing import IO, Protocol, cast

from zesty_anchor.shelf.members import ArchiveRefused, Gate
from zesty_anchor.shelf.writer import SMALL, Writer
from zesty_anchor.system.problem import Problem

CHUNK = 1 << 18
_ZIP = b"PK\x03\x04"
_ENCRYPTED = 0x1
"""The flag of an encrypted member (APPNOTE.TXT, 4.4.4)."""
_MAGIC = {b"\x1f\x8b": "gz", b"\xfd7zXZ\x00": "xz", b"BZh": "bz2", b"\x28\xb5\x2f\xfd": "zst"}


class Source(Protocol):
    """Bytes that arrive."""

    def read(self, size: int, /) -> bytes:
        """Up to ``size`` bytes, empty at the end."""


def is_zip(start: bytes) -> bool:
    """Whether a file that begins so is a zip archive (which is read from its end, so not from a stream)."""
    return start.startswith(_ZIP)


def unpack_tar(source: Source, folder: Path, gate: Gate | None = None) -> None:
    """Unpack a tar archive, compressed or not, that arrives in ``source`` into an empty folder. ``gate`` lets its members in.

    Raises ``ArchiveRefused`` or ``Problem``; the folder is then to be thrown away.
    """
    start = source.read(CHUNK)
    try:
        with tarfile.open(fileobj=_inflated(start, source), mode="r|", bufsize=CHUNK) as archive:
            _unpack_members(archive, folder, gate or Gate())
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
        with zipfile.ZipFile(file) as archive, file.open("rb") as raw, Writer() as writer:
            room = _Room(folder, writer)
            for info in archive.infolist():
                if info.flag_bits & _ENCRYPTED:
                    raise Problem(
                        f"{info.filename!r} in the archive is encrypted, and there is nobody to ask for a password",
                        advice="tell whoever runs the feed, or choose another version",
                    )
                _unpack_zipped(archive, raw.fileno(), info, room, gate)
    except (zipfile.BadZipFile, zlib.error, EOFError, NotImplementedError, struct.error) as error:
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
        return cast(IO[bytes], _Zstd(whole))
    if kind:
        return cast(IO[bytes], _Inflating(whole, kind))
    return cast(IO[bytes], whole)


class _Zstd(io.RawIOBase):
    """The content of a zstd stream (RFC 8878), of several frames too. Raises ``ValueError`` where it is damaged."""

    def __init__(self, compressed: io.RawIOBase) -> None:
        import zstandard

        self._error = zstandard.ZstdError
        self._stream = zstandard.ZstdDecompressor().stream_reader(
            cast(IO[bytes], compressed), read_size=CHUNK, read_across_frames=True
        )

    def readable(self) -> bool:
        return True

    def read(self, size: int = -1, /) -> bytes:
        try:
            return self._stream.read(size)
        except self._error as error:
            raise ValueError(str(error)) from None


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


class _Room:
    """The folder that an archive is unpacked into: its inner folders, each made once, and the paths taken."""

    def __init__(self, folder: Path, writer: Writer) -> None:
        self.root = str(folder)
        self.writer = writer
        self._folders = {""}
        self._taken: set[str] = set()

    def make_folder(self, path: str) -> str:
        """Make an inner folder. Returns its full path."""
        if path not in self._folders:
            os.makedirs(f"{self.root}/{path}", exist_ok=True)
            self._folders.add(path)
        return f"{self.root}/{path}"

    def free(self, path: str) -> str:
        """Make a path free, with the folder around it. Returns the full path.

        An archive may hold a path twice; the later one counts, as tar(1) has it.
        """
        self.make_folder(path.rpartition("/")[0])
        full = f"{self.root}/{path}"
        if path in self._taken:
            self.writer.settle()
            os.unlink(full)
        self._taken.add(path)
        return full


def _unpack_members(archive: tarfile.TarFile, folder: Path, gate: Gate) -> None:
    folders: list[tuple[str, float]] = []
    with Writer() as writer:
        room = _Room(folder, writer)
        for member in archive:
            path = gate.place(member.name)
            if member.isdir():
                gate.mode(member.name, member.mode & ~stat.S_ISGID)
                folders.append((room.make_folder(path if path != "." else ""), member.mtime))
            elif member.isreg():
                mode = gate.mode(member.name, member.mode)
                data = archive.extractfile(member)
                assert data is not None
                _unpack_file(room, path, data, member.size, mode, member.mtime)
            elif member.issym():
                gate.link(member.name, path, member.linkname)
                os.symlink(member.linkname, room.free(path))
            elif member.islnk():
                _hard_link(room, path, gate.place(member.linkname), member.name)
            elif member.type not in (tarfile.XHDTYPE, tarfile.XGLTYPE):
                raise gate.special(member.name, _what(member))
    if gate.within:
        _check_links(folder, gate)
    for full, moment in reversed(folders):
        os.utime(full, (moment, moment))


def _what(member: tarfile.TarInfo) -> str:
    if member.isfifo():
        return "a named pipe"
    return "a device file" if member.isdev() else "a member of an unknown kind"


def _unpack_file(room: _Room, path: str, data: IO[bytes], size: int, mode: int, moment: float) -> None:
    full = room.free(path)
    if size <= SMALL:
        content = data.read()
        room.writer.put(full, lambda: content, mode, moment)
        return
    handle = os.open(full, os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW, mode)
    with open(handle, "wb", buffering=0) as out:
        shutil.copyfileobj(data, out, CHUNK)
        os.fchmod(out.fileno(), mode)
        os.utime(out.fileno(), (moment, moment))


def _hard_link(room: _Room, path: str, target: str, name: str) -> None:
    room.writer.settle()
    source = f"{room.root}/{target}"
    if not os.path.isfile(source) or os.path.islink(source):
        raise ArchiveRefused(f"a hard link leads to {target!r}, which is no file of the archive", name)
    os.link(source, room.free(path))


def _check_links(folder: Path, gate: Gate) -> None:
    """A chain of links, each harmless alone, may still lead outside: follow each to its end."""
    root = os.path.realpath(folder)
    for path in gate.links:
        if os.path.commonpath([root, os.path.realpath(f"{root}/{path}")]) != root:
            raise ArchiveRefused("a link leads outside through another link", path)


def _unpack_zipped(archive: zipfile.ZipFile, raw: int, info: zipfile.ZipInfo, room: _Room, gate: Gate) -> None:
    path = gate.place(info.filename)
    mode = info.external_attr >> 16
    if info.is_dir():
        room.make_folder(path if path != "." else "")
        return
    if stat.S_ISLNK(mode):
        target = os.fsdecode(archive.read(info))
        gate.link(info.filename, path, target)
        os.symlink(target, room.free(path))
        return
    if stat.S_IFMT(mode) not in (0, stat.S_IFREG):
        raise gate.special(info.filename, "a device file or another special file")
    allowed = gate.mode(info.filename, mode)
    if (
        info.file_size <= SMALL
        and info.compress_type in (zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED)
        and not info.flag_bits & 1
    ):
        room.writer.put(room.free(path), lambda: _content(raw, info), allowed, _moment(info))
        return
    with archive.open(info) as data:
        _unpack_file(room, path, data, SMALL + 1, allowed, _moment(info))


_LOCAL = struct.Struct("<4s22xHH")


def _content(raw: int, info: zipfile.ZipInfo) -> bytes:
    """A small member's content, read and unpacked apart from the others (APPNOTE.TXT 4.3.7: the local header)."""
    signature, name, extra = _LOCAL.unpack(os.pread(raw, _LOCAL.size, info.header_offset))
    if signature != _ZIP:
        raise zipfile.BadZipFile(f"no local header where {info.filename!r} should be")
    data = os.pread(raw, info.compress_size, info.header_offset + _LOCAL.size + name + extra)
    if info.compress_type == zipfile.ZIP_DEFLATED:
        # Never more than what was announced, however much the data would swell to.
        data = zlib.decompressobj(-15).decompress(data, info.file_size + 1)
    if zlib.crc32(data) != info.CRC or len(data) != info.file_size:
        raise zipfile.BadZipFile(f"{info.filename!r} is damaged")
    return data


def _moment(info: zipfile.ZipInfo) -> float:
    return time.mktime((*info.date_time, 0, 0, -1))
