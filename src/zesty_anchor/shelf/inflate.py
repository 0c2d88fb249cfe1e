"""The content of a compressed stream, a bounded piece at a time: gz, bz2, xz, zst."""

from __future__ import annotations

import bz2
import io
import lzma
import zlib
from typing import IO, Protocol, cast

from zesty_anchor.shelf.bounds import Bounds
from zesty_anchor.shelf.members import ArchiveRefused

CHUNK = 1 << 18
_MOST_AT_ONCE = 1 << 22
"""Bytes that one look at the compressed data may give."""
_MEMORY = 100 << 20
"""What xz may need (xz(1), "Memory usage"): the largest preset needs 65 MiB."""
_WINDOW = 1 << 26
"""How far zstd may look back (RFC 8878, section 3.1.1.1.2)."""
_MAGIC = {b"\x1f\x8b": "gz", b"\xfd7zXZ\x00": "xz", b"BZh": "bz2", b"\x28\xb5\x2f\xfd": "zst"}


class Source(Protocol):
    """Bytes that arrive."""

    def read(self, size: int, /) -> bytes:
        """Up to ``size`` bytes, empty at the end."""


def kind_of(start: bytes) -> str:
    """How a stream is compressed that begins so; empty for none that is known. Pure."""
    return next((kind for magic, kind in _MAGIC.items() if start.startswith(magic)), "")


def inflated(start: bytes, source: Source, bounds: Bounds) -> IO[bytes]:
    """What is in a stream whose beginning was read already; as it is where it is not compressed.

    Reading it raises ``ArchiveRefused`` where it grows beyond its ``bounds``, ``ValueError``, ``EOFError`` or
    the library's own error where it is damaged.
    """
    whole = _Joined(start, source)
    kind = kind_of(start)
    if not kind:
        return cast(IO[bytes], _Bounded(whole, whole, bounds))
    return cast(
        IO[bytes], _Bounded(_Zstd(whole) if kind == "zst" else _Inflating(whole, kind), whole, bounds)
    )


class _Joined(io.RawIOBase):
    """The bytes already read, then the rest of the source; it counts them."""

    def __init__(self, start: bytes, source: Source) -> None:
        self._start = start
        self._source = source
        self.count = 0

    def readable(self) -> bool:
        return True

    def read(self, size: int = -1, /) -> bytes:
        if self._start:
            given, self._start = self._start[:size], self._start[size:]
        else:
            given = self._source.read(size)
        self.count += len(given)
        return given


class _Bounded(io.RawIOBase):
    """Ends with an error where more comes than may."""

    def __init__(self, content: io.RawIOBase, compressed: _Joined, bounds: Bounds) -> None:
        self._content = content
        self._compressed = compressed
        self._bounds = bounds
        self._count = 0

    def readable(self) -> bool:
        return True

    def read(self, size: int = -1, /) -> bytes:
        given = self._content.read(size)
        self._count += len(given)
        self._bounds.check(self._count, self._compressed.count)
        return given


class _Zstd(io.RawIOBase):
    """The content of a zstd stream (RFC 8878), of several frames too. Raises ``ValueError`` where it is
    damaged.
    """

    def __init__(self, compressed: io.RawIOBase) -> None:
        import zstandard

        self._error = zstandard.ZstdError
        self._stream = zstandard.ZstdDecompressor(max_window_size=_WINDOW).stream_reader(
            cast(IO[bytes], compressed), read_size=CHUNK, read_across_frames=True
        )

    def readable(self) -> bool:
        return True

    def read(self, size: int = -1, /) -> bytes:
        try:
            return self._stream.read(size)
        except self._error as error:
            if "too much memory" in str(error):
                raise ArchiveRefused(
                    f"to unpack it takes more than {_WINDOW >> 20} MiB of memory", "the whole"
                ) from None
            raise ValueError(str(error)) from None


class _Inflating(io.RawIOBase):
    """Decompresses gz, xz or bz2, members one after the other (RFC 1952 section 2.2 allows several)."""

    def __init__(self, source: io.RawIOBase, kind: str) -> None:
        self._source = source
        self._kind = kind
        self._decoder = self._fresh()
        self._ready = bytearray()
        self._ended = False

    def readable(self) -> bool:
        return True

    def _fresh(self) -> _Decoder:
        if self._kind == "gz":
            return _Gz()
        return lzma.LZMADecompressor(memlimit=_MEMORY) if self._kind == "xz" else bz2.BZ2Decompressor()

    def read(self, size: int = -1, /) -> bytes:
        while not self._ended and (size < 0 or len(self._ready) < size):
            self._feed()
        end = len(self._ready) if size < 0 else size
        given = bytes(self._ready[:end])
        del self._ready[:end]
        return given

    def _feed(self) -> None:
        chunk = b""
        if self._decoder.eof:
            chunk = self._decoder.unused_data.lstrip(b"\0") or self._after(self._source.read(CHUNK))
            if not chunk:
                self._ended = True
                return
            self._decoder = self._fresh()
        elif self._decoder.needs_input:
            chunk = cast(bytes, self._source.read(CHUNK))
            if not chunk:
                raise EOFError("it ends too early")
        try:
            self._ready += self._decoder.decompress(chunk, _MOST_AT_ONCE)
        except lzma.LZMAError as error:
            if "emory" in str(error):
                raise ArchiveRefused(
                    f"to unpack it takes more than {_MEMORY >> 20} MiB of memory", "the whole"
                ) from None
            raise

    def _after(self, chunk: bytes | None) -> bytes:
        """What comes after a member: zeros fill it up to a block."""
        while chunk and not (rest := chunk.lstrip(b"\0")):
            chunk = self._source.read(CHUNK)
        return rest if chunk else b""


class _Decoder(Protocol):
    @property
    def eof(self) -> bool: ...
    @property
    def needs_input(self) -> bool: ...
    @property
    def unused_data(self) -> bytes: ...
    def decompress(self, data: bytes, /, max_length: int = -1) -> bytes: ...


class _Gz:
    """zlib's, with the face of the other two."""

    def __init__(self) -> None:
        self._decoder = zlib.decompressobj(wbits=31)

    @property
    def eof(self) -> bool:
        return self._decoder.eof

    @property
    def needs_input(self) -> bool:
        return not self._decoder.unconsumed_tail

    @property
    def unused_data(self) -> bytes:
        return self._decoder.unused_data

    def decompress(self, data: bytes, /, max_length: int = -1) -> bytes:
        return self._decoder.decompress(self._decoder.unconsumed_tail + data, max_length)
