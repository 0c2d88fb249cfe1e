"""What a mirror holds."""

from __future__ import annotations

import msgspec


class Mirrored(msgspec.Struct, frozen=True, omit_defaults=True):
    """One file of a mirror: its path there, the address that it was fetched from (empty: it was made here),
    its SHA-256 as ``sha256:hex``, its size in bytes, and what it is for (``kelp 4.2.1 linux-x86_64``).
    """

    path: str
    digest: str
    size: int
    address: str = ""
    for_: tuple[str, ...] = msgspec.field(default=(), name="for")


class MirrorMade(msgspec.Struct, frozen=True):
    """What a mirror holds now: how many files were ``fetched``, with how many bytes; what ``failed``, and
    ``notes`` on what is not in it.
    """

    folder: str
    files: tuple[Mirrored, ...]
    fetched: int = 0
    fetched_size: int = 0
    failed: tuple[str, ...] = ()
    notes: tuple[str, ...] = ()

    @property
    def size(self) -> int:
        """Bytes in all."""
        return sum(each.size for each in self.files)


class ChangedFile(msgspec.Struct, frozen=True):
    """A file of a mirror that is not as it was put there: what it was, and what it is (empty: it is gone)."""

    path: str
    expected: str
    found: str
