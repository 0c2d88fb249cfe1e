"""A foreign program at work in the person's home: what it did there is found, and can be taken back."""

from __future__ import annotations

import os
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path
from urllib.parse import quote_from_bytes, unquote_to_bytes

import msgspec

from zesty_anchor.changes.bench import Bench
from zesty_anchor.changes.record import Record
from zesty_anchor.files.edit import Copies, put_back
from zesty_anchor.files.move import move
from zesty_anchor.files.removal import discard_any
from zesty_anchor.files.replace import replace
from zesty_anchor.shells.known import SHELLS
from zesty_anchor.survey.home_watch import ONE_AT_A_TIME, HomeWatch, Seen, difference
from zesty_anchor.survey.machine import Machine
from zesty_anchor.survey.startup.caught import Edited
from zesty_anchor.system.locations import Locations


class Startup(msgspec.Struct, frozen=True):
    """A startup file, and the language that it is written in."""

    path: str
    language: str


class ForeignRecord(Record, kw_only=True, tag="foreign"):
    """What a program did in the home outside its own places. ``seen`` is the file with what was there before, as long as
    it was at work (None: it ended); ``startup`` are the startup files.

    ``came`` are entries of the home that it made, percent-encoded since a name need not be UTF-8; ``touched`` are files of
    settings that it changed.
    """

    seen: str | None = None
    startup: list[str] = msgspec.field(default_factory=list)
    came: list[str] = msgspec.field(default_factory=list)
    touched: list[Copies] = msgspec.field(default_factory=list)


class Traces(msgspec.Struct):
    """What was found of a program's work: its edits of startup files, which are already taken back."""

    edited: list[Edited]


def startup_files(machine: Machine) -> tuple[Startup, ...]:
    """Every startup file of this machine's shells, whether it exists or not, with its language."""
    found: dict[str, str] = {}
    for name, shell in SHELLS.items():
        for reading in shell.reads(machine.around):
            if reading.runs and (name == "sh" or str(reading.file) not in found):
                found[str(reading.file)] = name
    return tuple(Startup(path, language) for path, language in found.items())


@contextmanager
def watched(record: ForeignRecord, startup: Iterable[Startup], bench: Bench, own: Iterable[str]) -> Iterator[Traces]:
    """Lets a foreign program work in the home. Afterwards its edits of startup files are taken out, and the rest of
    what it did outside the places that are its ``own`` is noted in the record, for ``take_back``.

    The record holds what ``begin`` gave.
    """
    traces = Traces([])
    languages = {os.fsencode(each.path): each.language for each in startup}
    watch = _watch(bench.locations, languages)
    with ONE_AT_A_TIME:
        before = watch.look()
        assert record.seen is not None
        seen = Path(record.seen)
        seen.write_bytes(msgspec.msgpack.encode(before))
        yield traces
        found = difference(before, watch.look())
        came = list(found.came)
        for path in [p for p in (*found.changed, *came) if p in languages]:
            now = found.changed[path] if path in found.changed else _content(path)
            traces.edited.append((languages[path], before.contents.get(path, (b"", 0))[0], now or b""))
            _restore(path, before)
        record.came = [quote_from_bytes(p) for p in came if p not in languages and not _within(p, own)]
        record.touched = [
            _touched(path, now, before, bench)
            for path, now in found.changed.items()
            if path not in languages and path.isascii()
        ]
        record.seen = None
        seen.unlink()


def begin(bench: Bench) -> str:
    """A place for what stands in the home before the program works there: for ``ForeignRecord.seen``."""
    return str(bench.attic.room("seen") / "seen")


def take_back(record: ForeignRecord, bench: Bench, name: str) -> list[str]:
    """Take back what a program did outside its own places, and return what a person should know.

    ``name`` is the program's. What came and does not bear that name may be the person's own: it goes to the attic.
    """
    if record.seen is not None:
        return _cut_off(Path(record.seen), record.startup, bench, name)
    told: list[str] = []
    for touched in record.touched:
        told += put_back(touched)
    return told + _away(map(unquote_to_bytes, record.came), bench, name)


def _cut_off(seen: Path, startup: Iterable[str], bench: Bench, name: str) -> list[str]:
    """The program was still at work, or nobody looked afterwards."""
    if not seen.is_file():
        return []
    before = msgspec.msgpack.decode(seen.read_bytes(), type=Seen)
    languages = dict.fromkeys(map(os.fsencode, startup), "")
    found = difference(before, _watch(bench.locations, languages).look())
    told = []
    for path, now in found.changed.items():
        if now is not None and now != before.contents[path][0]:
            kept = bench.attic.keep(os.path.basename(os.fsdecode(path)) + ".found", now)
            told.append(
                f"{bench.locations.shown(os.fsdecode(path))} is as it was before; what it held now is in {kept}"
            )
        _restore(path, before)
    seen.unlink()
    return told + _away(found.came, bench, name, cut_off=True)


def _away(paths: Iterable[bytes], bench: Bench, name: str, *, cut_off: bool = False) -> list[str]:
    """Remove what bears the program's name, keep the rest. After a run that was ``cut_off`` the person may have made
    something since: then only what stands where programs keep their own goes.
    """
    told = []
    for path in map(os.fsdecode, paths):
        if not os.path.lexists(path):
            continue
        hidden = os.path.basename(path).startswith(".") or os.path.dirname(path) != str(bench.locations.home)
        if name.lower() in os.path.basename(path).lower() and (hidden or not cut_off):
            discard_any(Path(path))
        else:
            kept = bench.attic.place(os.path.basename(path))
            move(Path(path), kept)
            told.append(f"{bench.locations.shown(path)} came while {name} was at work; it is kept in {kept}")
    return told


def _touched(path: bytes, now: bytes | None, before: Seen, bench: Bench) -> Copies:
    content, mode = before.contents[path]
    text = os.fsdecode(path)
    return Copies(
        path=text,
        name=bench.locations.shown(text),
        mode=mode,
        before=bench.attic.keep("touched-before", content),
        after=bench.attic.keep("touched-after", now),
    )


def _restore(path: bytes, before: Seen) -> None:
    """Make one entry what it was."""
    text = os.fsdecode(path)
    if path in before.links and (not os.path.islink(path) or os.readlink(path) != before.links[path]):
        Path(text).unlink(missing_ok=True)
        os.symlink(before.links[path], path)
    if path in before.contents:
        content, mode = before.contents[path]
        replace(Path(os.path.realpath(text)), content, mode)
    elif path not in before.entries:
        discard_any(Path(text))


def _watch(locations: Locations, files: Iterable[bytes]) -> HomeWatch:
    apart = (locations.data, locations.state, locations.cache, locations.config)
    return HomeWatch(locations.home, [Path(os.fsdecode(file)) for file in files], apart)


def _within(path: bytes, own: Iterable[str]) -> bool:
    """Whether a path is one of the program's own places, or a folder on the way to one."""
    text = os.fsdecode(path)
    return any(f"{text}/".startswith(f"{place}/") for place in own)


def _content(path: bytes) -> bytes | None:
    try:
        with open(path, "rb") as file:
            return file.read()
    except OSError:
        return None
