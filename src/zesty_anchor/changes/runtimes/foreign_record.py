"""What is recorded of a foreign program at work in the home."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

import msgspec

from zesty_anchor.changes.bench import Bench
from zesty_anchor.changes.record import Record, copies_of
from zesty_anchor.files.digest import digest_of
from zesty_anchor.files.edit import Copies
from zesty_anchor.files.inventory import Inventory


class Startup(msgspec.Struct, frozen=True):
    """A startup file, and the language that it is written in."""

    path: str
    language: str


class ForeignRecord(Record, kw_only=True, tag="foreign"):
    """What a program did in the home outside its own places. ``seen`` is the file with what was there before,
    as long as it was at work (None: it ended), ``during`` the one with what was seen last while it worked;
    ``startup`` are the startup files.

    ``came`` are entries of the home that it made, percent-encoded since a name need not be UTF-8; ``touched``
    are files of settings that it changed. ``made_own`` is what it put into its own places, by whole path.
    """

    seen: str | None = None
    during: str = ""
    startup: list[str] = msgspec.field(default_factory=list)
    came: list[str] = msgspec.field(default_factory=list)
    touched: list[Copies] = msgspec.field(default_factory=list)
    made_own: Inventory = msgspec.field(default_factory=dict)

    def attic_copies(self) -> dict[str, str]:
        """What was seen, and the files of settings before and after."""
        rooms = {str(Path(file).parent): "" for file in (self.seen, self.during) if file}
        return {**rooms, **copies_of(self.touched)}


class Work(msgspec.Struct, frozen=True):
    """One program at work: its ``record``, the ``languages`` of the startup files by path, its ``own``
    places, and its ``name``.
    """

    record: ForeignRecord
    languages: Mapping[str, str]
    bench: Bench
    own: tuple[Path, ...]
    name: str


def content_at(path: bytes | Path) -> bytes | None:
    """The content of a file; None where it cannot be read."""
    try:
        with open(path, "rb") as file:
            return file.read()
    except OSError:
        return None


def touched(path: str, before: bytes, after: bytes | None, mode: int, bench: Bench) -> Copies:
    """Keep the content of a settings file before and after a program changed it, and return where the copies
    are.
    """
    return Copies(
        path=path,
        name=bench.locations.shown(path),
        mode=mode,
        before=bench.attic.keep("touched-before", before),
        after=bench.attic.keep("touched-after", after),
        before_digest=digest_of(before),
        after_digest=digest_of(after) if after is not None else "",
    )
