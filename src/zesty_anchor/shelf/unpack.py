"""Unpacking tar (plain, gz, xz, bz2, zst) from a stream and zip from a file, through the gate."""

from __future__ import annotations

import errno
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
from typing import IO

from zesty_anchor.shelf.bounds import MOST_HEADER, MOST_ZIPPED, Bounds
from zesty_anchor.shelf.inflate import CHUNK, Source, inflated, kind_of
from zesty_anchor.shelf.members import ArchiveRefused, Gate
from zesty_anchor.shelf.writer import SMALL, Writer
from zesty_anchor.system.problem import Problem

_ZIP = b"PK\x03\x04"
_ENCRYPTED = 0x1
"""The flag of an encrypted member (APPNOTE.TXT, 4.4.4)."""
_END, _END64 = struct.Struct("<4s4x2H"), struct.Struct("<4s20x2Q")
_FURTHEST_END = 65_557
"""Where the end record begins at the earliest, from the file's end: a comment may follow it (APPNOTE.TXT
4.3.16).
"""
_DESCRIBING = (
    tarfile.XHDTYPE,
    tarfile.XGLTYPE,
    tarfile.SOLARIS_XHDTYPE,
    tarfile.GNUTYPE_LONGNAME,
    tarfile.GNUTYPE_LONGLINK,
)
_MOST_GLOBAL = 256
"""Fields that headers for all of an archive may set (pax(1), "pax Extended Header": type g)."""


_CLASHES = (errno.ENAMETOOLONG, errno.ELOOP, errno.ENOTDIR, errno.EISDIR, errno.EEXIST, errno.EILSEQ)
"""What members raise that cannot stand beside one another, or nowhere."""


class _Member(tarfile.TarInfo):
    """A member whose header is looked at before anything of it is read."""

    def _proc_member(self, archive: tarfile.TarFile) -> tarfile.TarInfo:
        if self.type in _DESCRIBING and self.size > MOST_HEADER:
            raise ArchiveRefused(f"a header of it is larger than {MOST_HEADER >> 10} kB", self.name)
        if self.size < 0:
            raise ArchiveRefused("a member has less than no bytes", self.name)
        if self.type == tarfile.GNUTYPE_SPARSE:
            raise ArchiveRefused("it holds a file with holes", self.name)
        if self.type == tarfile.XGLTYPE and len(archive.pax_headers) > _MOST_GLOBAL:
            raise ArchiveRefused("it describes all of itself too often", self.name)
        return super()._proc_member(archive)  # type: ignore[misc, no-any-return]


def is_zip(start: bytes) -> bool:
    """Whether a file that begins so is a zip archive (which is read from its end, so not from a stream)."""
    return start.startswith(_ZIP)


def unpack_tar(source: Source, folder: Path, gate: Gate | None = None, bounds: Bounds | None = None) -> None:
    """Unpack a tar archive, compressed or not, that arrives in ``source`` into an empty folder. ``gate`` lets
    its members in.

    Raises ``ArchiveRefused`` or ``Problem``; the folder is then to be thrown away.
    """
    start = source.read(CHUNK)
    try:
        whole = inflated(start, source, bounds or Bounds())
        with tarfile.open(fileobj=whole, mode="r|", bufsize=CHUNK, tarinfo=_Member) as archive:
            _unpack_members(archive, folder, gate or Gate())
    except (tarfile.TarError, zlib.error, lzma.LZMAError, EOFError, ValueError, OverflowError) as error:
        raise _damaged(start, error) from None
    except OSError as error:
        if error.errno in _CLASHES:
            raise ArchiveRefused(
                f"its members do not go together: {error.strerror}", str(error.filename or "")
            ) from None
        if error.errno is None:  # bz2 and gzip raise a bare OSError for damaged data
            raise _damaged(start, error) from None
        raise


def unpack_zip(file: Path, folder: Path, bounds: Bounds | None = None) -> None:
    """Unpack a zip archive into an empty folder. Raises as ``unpack_tar`` does."""
    gate = Gate()
    try:
        _check_count(file)
        with zipfile.ZipFile(file) as archive, file.open("rb") as raw, Writer() as writer:
            room = _Room(folder, writer)
            _check_sizes(archive.infolist(), file.stat().st_size, bounds or Bounds())
            for info in archive.infolist():
                if info.flag_bits & _ENCRYPTED:
                    raise Problem(
                        f"{info.filename!r} in the archive is encrypted, and there is nobody to ask for a"
                        " password",
                        advice="tell whoever runs the feed, or choose another version",
                    )
                _unpack_zipped(archive, raw.fileno(), info, room, gate)
    except (
        zipfile.BadZipFile,
        zlib.error,
        lzma.LZMAError,
        EOFError,
        NotImplementedError,
        struct.error,
        ValueError,
        OverflowError,
    ) as error:
        raise _damaged(b"", error) from None
    except OSError as error:
        if error.errno is None:
            raise _damaged(b"", error) from None
        if error.errno in _CLASHES:
            raise ArchiveRefused(
                f"its members do not go together: {error.strerror}", str(error.filename or "")
            ) from None
        raise
    gate.check_links(_top(folder))


def _check_count(file: Path) -> None:
    """Before all of the directory is read: how many members the end record tells (APPNOTE.TXT 4.3.14 and
    4.3.16).
    """
    size = file.stat().st_size
    with file.open("rb") as opened:
        opened.seek(max(0, size - _FURTHEST_END))
        tail = opened.read()
    counts: list[int] = []
    for signature, layout in ((b"PK\x05\x06", _END), (b"PK\x06\x06", _END64)):
        place = tail.rfind(signature)
        if 0 <= place <= len(tail) - layout.size:
            counts += layout.unpack_from(tail, place)[1:]
    if any(count > MOST_ZIPPED for count in counts):
        raise ArchiveRefused(f"it holds more than {MOST_ZIPPED:,} members", "the whole")


def _check_sizes(members: list[zipfile.ZipInfo], packed: int, bounds: Bounds) -> None:
    """What the directory announces; no member gives more than that. Members that share bytes grow from little
    to much.
    """
    if len(members) > MOST_ZIPPED:
        raise ArchiveRefused(f"it holds more than {MOST_ZIPPED:,} members", "the whole")
    bounds.check(sum(info.file_size for info in members), packed)
    end = -1
    for info in sorted(members, key=lambda each: each.header_offset):
        if info.header_offset < end:
            raise ArchiveRefused("two members share the same bytes", info.filename)
        end = info.header_offset + _LOCAL.size + info.compress_size
        if end > packed:
            raise zipfile.BadZipFile(f"{info.filename[:60]!r} ends behind the file")


def _top(folder: Path) -> str:
    """The one folder that wraps all the rest; empty where there is none."""
    entries = list(os.scandir(folder))
    return entries[0].name if len(entries) == 1 and entries[0].is_dir(follow_symlinks=False) else ""


def _damaged(start: bytes, error: Exception) -> Problem:
    shown = start[:24].decode("utf-8", "replace").strip()
    kind = kind_of(start)
    return Problem(
        f"the archive cannot be unpacked: {error}" if kind or not start else "what was fetched is no archive",
        where=f"it begins with {shown!r}" if start and not kind else "",
        advice="tar (plain, gz, xz, bz2, zst) and zip are understood; run the command again to fetch it anew",
    )


class _Room:
    """The folder that an archive is unpacked into: its inner folders, each made once, and the paths taken."""

    def __init__(self, folder: Path, writer: Writer) -> None:
        self.root = str(folder)
        self.writer = writer
        self._folders = {""}
        self._taken: set[str] = set()
        self._files: dict[str, int] = {}
        """The files and hard links that were begun, by path, each with its number."""
        self._written = 0
        """As many of them are written for certain."""

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
            self._files.pop(path, None)
        self._taken.add(path)
        return full

    def file(self, path: str) -> str:
        """The same for a file, or a hard link to one."""
        full = self.free(path)
        self._files[path] = len(self._taken)
        return full

    def source(self, path: str) -> str | None:
        """The full path of a file that a hard link may lead to, once it is written; None where there is no
        such file.
        """
        number = self._files.get(path)
        if number is None:
            return None
        if number > self._written:
            self.writer.settle()
            self._written = len(self._taken)
        return f"{self.root}/{path}"


def _unpack_members(archive: tarfile.TarFile, folder: Path, gate: Gate) -> None:
    folders: dict[str, float] = {}
    with Writer() as writer:
        room = _Room(folder, writer)
        while (member := archive.next()) is not None:
            archive.members.clear()  # type: ignore[attr-defined]  # which would hold a kilobyte of each to the end
            path = gate.place(member.name)
            if member.sparse is not None or any(key.startswith("GNU.sparse") for key in member.pax_headers):
                raise ArchiveRefused("it holds a file with holes", member.name)
            if member.isdir():
                gate.mode(member.name, member.mode & ~stat.S_ISGID)
                folders[room.make_folder(path if path != "." else "")] = member.mtime
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
        gate.check_links(_top(folder))
    for full, moment in reversed(folders.items()):
        os.utime(full, (moment, moment))


def _what(member: tarfile.TarInfo) -> str:
    if member.isfifo():
        return "a named pipe"
    return "a device file" if member.isdev() else "a member of an unknown kind"


def _unpack_file(room: _Room, path: str, data: IO[bytes], size: int, mode: int, moment: float) -> None:
    full = room.file(path)
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
    source = room.source(target)
    if source is None:
        raise ArchiveRefused(f"a hard link leads to {target!r}, which is no file of the archive", name)
    os.link(source, room.file(path))


def _unpack_zipped(
    archive: zipfile.ZipFile, raw: int, info: zipfile.ZipInfo, room: _Room, gate: Gate
) -> None:
    path = gate.place(info.filename)
    mode = info.external_attr >> 16
    if info.is_dir():
        room.make_folder(path if path != "." else "")
        return
    if stat.S_ISLNK(mode):
        if info.file_size > MOST_HEADER:
            raise ArchiveRefused("a link is longer than a path may be", info.filename)
        target = os.fsdecode(archive.read(info))
        gate.link(info.filename, path, target)
        os.symlink(target, room.free(path))
        return
    if stat.S_IFMT(mode) not in (0, stat.S_IFREG):
        raise gate.special(info.filename, "a device file or another special file")
    allowed = gate.mode(info.filename, mode)
    if (
        info.file_size <= SMALL
        and info.compress_size <= 2 * SMALL
        and info.compress_type in (zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED)
        and not info.flag_bits & 1
    ):
        room.writer.put(room.file(path), lambda: _content(raw, info), allowed, _moment(info))
        return
    with archive.open(info) as data:
        _unpack_file(room, path, data, SMALL + 1, allowed, _moment(info))
    if os.path.getsize(f"{room.root}/{path}") != info.file_size:
        raise zipfile.BadZipFile(f"{info.filename[:60]!r} does not have the size that is stated")


_LOCAL = struct.Struct("<4s22xHH")


def _content(raw: int, info: zipfile.ZipInfo) -> bytes:
    """A small member's content, read and unpacked apart from the others (APPNOTE.TXT 4.3.7: the local
    header).
    """
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
