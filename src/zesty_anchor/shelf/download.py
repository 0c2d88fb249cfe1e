"""Fetching an archive: streamed, digested as it arrives, unpacked at the same time."""

from __future__ import annotations

import hashlib
import os
import queue
import threading
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Protocol

from zesty_anchor.shelf.bounds import Bounds
from zesty_anchor.shelf.inflate import CHUNK, Source
from zesty_anchor.shelf.unpack import is_zip, unpack_tar, unpack_zip
from zesty_anchor.system.problem import Problem

_CHUNKS_WAITING = 16

Progress = Callable[[int, int | None], None]
"""Called with the bytes done and the bytes in all (None where unknown)."""


class Unpack(Protocol):
    """Puts what arrives in ``source`` into an empty folder."""

    def __call__(self, source: Source, folder: Path, *, bounds: Bounds) -> None:
        """Raises ``ArchiveRefused`` or ``Problem``; the folder is then to be thrown away."""


class Body(Protocol):
    """The open answer of a server."""

    @property
    def size(self) -> int | None:
        """Bytes in all, if the server tells."""

    def chunks(self, size: int) -> Iterator[bytes]:
        """The bytes as they arrive. Raises ``Problem`` where the connection breaks."""

    def close(self) -> None:
        """Hang up."""


class DigestDiffers(Problem):
    """The bytes are not those that the feed promised."""


UNPINNED = "unpinned"
"""How the name of a kept file begins whose digest nobody gave."""


def kept_file(downloads: Path, digest: str, url: str) -> Path:
    """Where a file with this digest is kept; one that nothing pins, by its address."""
    return downloads / (digest or f"{UNPINNED}:{hashlib.sha256(url.encode()).hexdigest()}").replace(":", "-")


def obtain(
    fetch: Callable[[], Body],
    digest: str,
    size: int | None,
    kept: Path,
    folder: Path,
    progress: Progress,
    *,
    unpack: Unpack | None = None,
    bounds: Bounds | None = None,
) -> str:
    """Bring a file in, and ``unpack`` it into the empty ``folder`` (left out: it is an archive, of a kind
    that its beginning tells). Returns its digest.

    A file kept from earlier is used when its digest still fits. ``kept`` afterwards holds the archive; it
    appears under that name only once it is checked. ``bounds`` say how much it may unpack to. An empty
    ``digest`` means that nothing pins the file. Raises ``DigestDiffers``, ``ArchiveRefused`` or ``Problem``;
    ``folder`` is then to be thrown away.
    """
    if kept.is_file():
        if digest and _digest_of(kept, digest) == digest:
            _unpack_file(kept, folder, bounds or Bounds(), unpack)
            return digest
        kept.unlink()
    body = fetch()
    total = size if size is not None else body.size
    partial = kept.with_name(f"{kept.name}.{os.getpid()}-{threading.get_ident()}.part")
    try:
        allowed = size if size is not None else (bounds or Bounds()).largest
        found = _stream(body, digest, total, partial, folder, progress, unpack, bounds or Bounds(), allowed)
        partial.replace(kept)
        return found
    finally:
        body.close()
        partial.unlink(missing_ok=True)


def _stream(
    body: Body,
    digest: str,
    total: int | None,
    partial: Path,
    folder: Path,
    progress: Progress,
    unpack: Unpack | None,
    bounds: Bounds,
    allowed: int,
) -> str:
    algorithm = hashlib.new(digest.partition(":")[0] or "sha256")
    arriving = body.chunks(CHUNK)
    first = next(arriving, b"")
    pipe = _Pipe()
    worker = None
    if is_zip(first) and unpack is None:
        pipe.close()
    else:
        work = unpack or unpack_tar
        worker = threading.Thread(
            target=pipe.run, args=(lambda: work(pipe, folder, bounds=bounds),), daemon=True
        )
        worker.start()
    done = 0
    try:
        with partial.open("wb", buffering=0) as out:
            chunk = first
            while chunk:
                algorithm.update(chunk)
                out.write(chunk)
                pipe.put(chunk)
                done += len(chunk)
                if done > allowed:
                    raise Problem(
                        f"more arrives than the {allowed:,} bytes that were announced",
                        advice="nothing of it was kept; tell whoever runs the feed",
                    )
                progress(done, total)
                chunk = next(arriving, b"")
    except BaseException:
        pipe.break_off()
        raise
    finally:
        pipe.put(b"")
        if worker is not None:
            worker.join()
    found = f"{algorithm.name}:{algorithm.hexdigest()}"
    _compare(digest or found, found, done, total)
    if worker is None:
        unpack_zip(partial, folder, bounds)
    elif pipe.failure is not None:
        raise pipe.failure
    return found


def _compare(digest: str, found: str, done: int, total: int | None) -> None:
    if found == digest:
        return
    if total is not None and done < total:
        raise Problem(
            f"the download ended early: {done:,} of {total:,} bytes arrived",
            advice="run the command again; if it happens each time, the server's file is incomplete",
        )
    raise DigestDiffers(
        "the digest differs from the one that the feed gives",
        where=f"expected {digest}, got {found}, {done:,} bytes",
        advice=(
            "nothing of it was kept. The file was damaged or replaced: tell whoever runs the feed, do not go"
            " around it"
        ),
    )


def _unpack_file(file: Path, folder: Path, bounds: Bounds, unpack: Unpack | None) -> None:
    with file.open("rb") as opened:
        zipped = is_zip(opened.read(8)) and unpack is None
        opened.seek(0)
        if not zipped:
            (unpack or unpack_tar)(opened, folder, bounds=bounds)
    if zipped:
        unpack_zip(file, folder, bounds)


def matches(file: Path, digest: str) -> bool:
    """Whether a file has a digest (``sha256:hex``, ``sha512:hex``)."""
    return _digest_of(file, digest) == digest


def _digest_of(file: Path, like: str) -> str:
    with file.open("rb") as opened:
        algorithm = hashlib.file_digest(opened, like.partition(":")[0])
    return f"{algorithm.name}:{algorithm.hexdigest()}"


class _Pipe:
    """Hands chunks to the thread that unpacks, a few at a time, so that memory stays bounded."""

    def __init__(self) -> None:
        self._queue: queue.Queue[bytes] = queue.Queue(_CHUNKS_WAITING)
        self._left = b""
        self._finished = threading.Event()
        self._broken = False
        self.failure: Exception | None = None

    def run(self, work: Callable[[], None]) -> None:
        try:
            work()
        except Exception as error:
            self.failure = error
        finally:
            self._finished.set()

    def close(self) -> None:
        """Nobody will read."""
        self._finished.set()

    def break_off(self) -> None:
        self._broken = True

    def put(self, chunk: bytes) -> None:
        """Give a chunk on, unless nobody reads any more."""
        while not self._finished.is_set():
            try:
                self._queue.put(chunk, timeout=0.05)
                return
            except queue.Full:
                continue

    def read(self, size: int, /) -> bytes:
        if not self._left:
            self._left = self._queue.get()
            if self._broken:
                raise EOFError("it was broken off")
            if not self._left:
                self._queue.put(b"")
                return b""
        if len(self._left) <= size:
            given, self._left = self._left, b""
        else:
            given, self._left = self._left[:size], self._left[size:]
        return given
