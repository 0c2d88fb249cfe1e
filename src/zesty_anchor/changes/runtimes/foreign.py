"""A foreign program at work in the person's home: what it did there is found, and can be taken back."""

from __future__ import annotations

import os
import threading
from collections.abc import Iterable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from urllib.parse import quote_from_bytes, unquote_to_bytes

import msgspec

from zesty_anchor.changes.bench import Bench
from zesty_anchor.changes.record import Record, Reverted, copies_of
from zesty_anchor.changes.runtimes.last_look import Places, bears, kept_watch, own_in, seen_last
from zesty_anchor.changes.runtimes.leaving import empty
from zesty_anchor.files.digest import digest_of
from zesty_anchor.files.edit import Copies, lines_of, put_back, taken_out
from zesty_anchor.files.inventory import Inventory, below, is_as, item_at
from zesty_anchor.files.removal import discard, discard_any
from zesty_anchor.files.replace import Changed, remove, replace
from zesty_anchor.shells.known import SHELLS
from zesty_anchor.survey.home_watch import ONE_AT_A_TIME, Seen, difference
from zesty_anchor.survey.machine import Machine
from zesty_anchor.survey.startup.caught import Edited
from zesty_anchor.system.locations import Locations

_LOOK_SECONDS = 0.25
_MOST = 5
"""How many entries are named of which nobody knows who made them."""


class Startup(msgspec.Struct, frozen=True):
    """A startup file, and the language that it is written in."""

    path: str
    language: str


class ForeignRecord(Record, kw_only=True, tag="foreign"):
    """What a program did in the home outside its own places. ``seen`` is the file with what was there before, as long as
    it was at work (None: it ended), ``during`` the one with what was seen last while it worked; ``startup`` are the startup
    files.

    ``came`` are entries of the home that it made, percent-encoded since a name need not be UTF-8; ``touched`` are files of
    settings that it changed. ``made_own`` is what it put into its own places, by whole path.
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
def watched(
    record: ForeignRecord, startup: Iterable[Startup], bench: Bench, own: Iterable[Path], name: str
) -> Iterator[Traces]:
    """Lets a foreign program work in the home. Afterwards its edits of startup files are taken out, and the rest of
    what it did is noted in the record, for ``take_back``; ``own`` are the places that are its own, ``name`` is its name.

    The record holds what ``begin`` gave. While the program works, what is seen is written down as it goes: should we be
    killed, it is killed with us, and what came later is not its doing.
    """
    traces = Traces([])
    languages = {os.fsencode(each.path): each.language for each in startup}
    own = tuple(own)
    places = _places(bench.locations, languages, own, name, record.during)
    watch = places.watch()
    with ONE_AT_A_TIME:
        before, there = watch.look(), own_in(own)
        assert record.seen is not None
        seen = Path(record.seen)
        replace(seen, msgspec.msgpack.encode(before), 0o600)
        with _looking(places):
            yield traces
        found = difference(before, watch.look())
        came = list(found.came)
        for path in [p for p in (*found.changed, *came) if p in languages]:
            now = found.changed[path] if path in found.changed else _content(path)
            traces.edited.append((languages[path], before.contents.get(path, (b"", 0))[0], now or b""))
            _restore(path, before, now)
        outside = [str(place) for place in own]
        record.came = [quote_from_bytes(p) for p in came if p not in languages and not _within(p, outside)]
        record.touched = [
            _touched(path, now, before, bench)
            for path, now in found.changed.items()
            if path not in languages and path.isascii()
        ]
        named = [Path(os.fsdecode(path)) for path in came if bears(os.fsdecode(path), name)]
        record.made_own = _made((*own, *named), there)
        record.seen = None
        bench.noted()
        discard(seen.parent)


@contextmanager
def _looking(places: Places) -> Iterator[None]:
    """Write down what is seen, again and again and once more at the end, by ourselves or, should we be killed, by another."""
    ended = threading.Event()
    last = b""

    def look() -> None:
        nonlocal last
        with suppress(OSError):
            now = msgspec.msgpack.encode(places.look())
            if now != last:
                replace(Path(places.during), now, 0o600, lasting=False)
                last = now

    def looks() -> None:
        while not ended.wait(_LOOK_SECONDS):
            look()

    thread = threading.Thread(target=looks, daemon=True)
    with kept_watch(places):
        thread.start()
        try:
            yield
        finally:
            ended.set()
            thread.join()
            look()


def _made(places: Iterable[Path], there: Inventory) -> Inventory:
    """What came into these places, with what it holds; ``there`` is what was there before."""
    return {path: item_at(Path(path)) for path in own_in(places) if path not in there}


def ours_in(place: Path) -> Inventory:
    """What is in a folder that we made ourselves in a place of the program's, and the folder: for ``made_own``."""
    return own_in([place], digests=True)


def begin(bench: Bench) -> tuple[str, str]:
    """Places for what is seen in the home, for ``ForeignRecord.seen`` and ``during``."""
    room = bench.attic.room("seen")
    return str(room / "seen"), str(room / "during")


def take_back(record: ForeignRecord, bench: Bench, name: str) -> Reverted:
    """Take back what a program did outside its own places, and return what a person should know.

    ``name`` is the program's. What came and does not bear that name may be the person's own: it goes to the attic.
    """
    if record.seen is not None:
        return Reverted(tuple(_cut_off(record, bench, name)))
    told: list[str] = []
    needed = False
    for touched in record.touched:
        found = put_back(touched)
        told += found.told
        needed |= found.needs
    told += _away(map(unquote_to_bytes, record.came), record.made_own, bench, name)
    return Reverted(tuple(told), needed=needed)


def own_of(record: ForeignRecord, place: Path) -> Inventory:
    """What a program put into one of its own places, by the path there: also where it was cut off."""
    return below(place, seen_last(Path(record.during)).own if record.seen is not None else record.made_own)


def _cut_off(record: ForeignRecord, bench: Bench, name: str) -> list[str]:
    """The program was still at work, or nobody looked afterwards. What it did until it was seen last is taken back; what is
    otherwise since is somebody else's, and stays.
    """
    seen = Path(record.seen or "")
    if not seen.is_file():
        return []
    before = msgspec.msgpack.decode(seen.read_bytes(), type=Seen)
    last = seen_last(Path(record.during))
    during = last.seen
    found = difference(before, during)
    told: list[str] = []
    languages = {os.fsencode(path) for path in record.startup}
    edited = [path for path in (*found.changed, *found.came) if path in before.contents or path in during.contents]
    for path in edited:
        told += _undo_edit(path, before, during, bench, name)
    ours = (path for path in found.came if path not in languages and path not in during.contents)
    told += _away(ours, last.own, bench, name)
    now = _places(bench.locations, languages).watch().look()
    if not during.entries:
        unknown = difference(before, now)
        shown = [bench.locations.shown(os.fsdecode(path)) for path in (*unknown.came, *unknown.changed)]
        told += [f"{each} may be the work of {name}, which was cut off: it stays" for each in shown[:_MOST]]
    return told


def _undo_edit(path: bytes, before: Seen, during: Seen, bench: Bench, name: str) -> list[str]:
    """Take what the program did to one small file out of it."""
    was, did = before.contents.get(path), during.contents.get(path)
    now, shown = _content(path), bench.locations.shown(os.fsdecode(path))
    if now == (did[0] if did else None) and os.path.islink(path) == (path in during.links):
        _restore(path, before, now)
        return []
    if now is None or now == (was[0] if was else None):
        return []
    rows = taken_out(*(lines_of(content) for content in ((was or (b"",))[0], (did or (b"",))[0], now)))
    if rows is None:
        kept = f"; what it held before is kept in {bench.attic.copy(Path(os.fsdecode(path)), was[0])}" if was else ""
        return [
            f"{shown} was changed by {name}, which was cut off, and in the same lines since: it is left as it is{kept}"
        ]
    replace(Path(os.path.realpath(os.fsdecode(path))), b"".join(rows), instead_of=now)
    return [f"{shown} was changed since {name} was cut off: only what {name} did was taken out"]


def _away(paths: Iterable[bytes], made: Inventory, bench: Bench, name: str) -> list[str]:
    """Remove what bears the program's name and is as it ``made`` it, keep the rest: it may be the person's own."""
    told: list[str] = []
    for path in map(Path, map(os.fsdecode, paths)):
        item = made.get(str(path)) if bears(str(path), name) else None
        if item is not None and item.kind == "folder":
            told += empty(path, below(path, made), bench)
        elif item is not None and is_as(path, item):
            remove(path)
        elif os.path.lexists(path):
            kept = bench.attic.away(path)
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
        before_digest=digest_of(content),
        after_digest=digest_of(now) if now is not None else "",
    )


def _restore(path: bytes, before: Seen, now: bytes | None) -> None:
    """Make one entry what it was. Raises ``Changed`` where it no longer holds what it held ``now``."""
    text = os.fsdecode(path)
    if _content(path) != now:
        raise Changed(f"{text} was changed meanwhile")
    if path in before.links and (not os.path.islink(path) or os.readlink(path) != before.links[path]):
        Path(text).unlink(missing_ok=True)
        os.symlink(before.links[path], path)
    if path in before.contents:
        content, mode = before.contents[path]
        replace(Path(os.path.realpath(text)), content, mode)
    elif path not in before.entries:
        discard_any(Path(text))


def _places(
    locations: Locations, files: Iterable[bytes], own: Iterable[Path] = (), name: str = "", during: str = ""
) -> Places:
    apart = (locations.data, locations.state, locations.cache, locations.config)
    return Places(
        str(locations.home), tuple(map(os.fsdecode, files)), tuple(map(str, apart)), tuple(map(str, own)), name, during
    )


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
