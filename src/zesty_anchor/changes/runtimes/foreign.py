"""A foreign program at work in the person's home: what it did there is found, and can be undone."""

from __future__ import annotations

import functools
import os
import threading
from collections.abc import Iterable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from urllib.parse import quote_from_bytes, unquote_to_bytes

import msgspec

from zesty_anchor.changes.bench import Bench
from zesty_anchor.changes.record import Reverted
from zesty_anchor.changes.runtimes.applied_layer import AppliedLayer
from zesty_anchor.changes.runtimes.foreign_record import ForeignRecord, Startup, Work, content_at, touched
from zesty_anchor.changes.runtimes.last_look import Places, bears, kept_watch, own_in, seen_last
from zesty_anchor.changes.runtimes.leaving import empty
from zesty_anchor.files.edit import lines_of, put_back, taken_out
from zesty_anchor.files.inventory import Inventory, below, is_as, item_at
from zesty_anchor.files.removal import discard, discard_any
from zesty_anchor.files.replace import Changed, remove, replace
from zesty_anchor.shells.known import SH, SHELLS
from zesty_anchor.shells.layered import is_allowed, layered_words
from zesty_anchor.shells.sealed import upper_in
from zesty_anchor.survey.home_watch import ONE_AT_A_TIME, Seen, difference
from zesty_anchor.survey.machine import Machine
from zesty_anchor.survey.startup.caught import Edited
from zesty_anchor.system.locations import Locations
from zesty_anchor.system.room import room

_LOOK_SECONDS = 0.25
_MOST = 5
"""How many entries are named of which nobody knows who made them."""


class Traces(msgspec.Struct):
    """The edits of startup files that a program made, none of which is left in the home. ``within`` are the
    words in front of a command that run it in a layer over the home (empty: it works in the home itself).
    """

    edited: list[Edited]
    within: tuple[str, ...] = ()


@functools.cache  # a run plans several times
def layers_allowed(home: Path) -> bool:
    """Whether the system allows a layer over the home."""
    with room("layer", on_disk=True) as space:
        return is_allowed(space, home, ())


def startup_files(machine: Machine) -> tuple[Startup, ...]:
    """Every startup file of this machine's shells, whether it exists or not, with its language."""
    found: dict[str, str] = {}
    for name, shell in SHELLS.items():
        for reading in shell.reads(machine.around):
            if reading.runs and (name == SH or str(reading.file) not in found):
                found[str(reading.file)] = name
    return tuple(Startup(path, language) for path, language in found.items())


@contextmanager
def watched(
    record: ForeignRecord, startup: Iterable[Startup], bench: Bench, own: Iterable[Path], name: str
) -> Iterator[Traces]:
    """Let a foreign program work in the home. Afterwards none of its edits of startup files is left there;
    the rest of what it did is, and is recorded for ``take_back``. ``own`` are the places that are its own,
    ``name`` is its name; the record holds what ``begin`` returned.

    It works in a layer over the home, started with the words ``within``, and what it wrote is applied once it
    has ended without an error. So what it did is known exactly, whoever else writes into the home meanwhile,
    and a program that fails or is killed leaves the home as it was. Where the system allows no layer, the
    home is watched.
    """
    work = Work(record, {each.path: each.language for each in startup}, bench, tuple(own), name)
    home = os.path.realpath(bench.locations.home)
    inside = all(Path(os.path.realpath(each)).is_relative_to(home) for each in work.own)
    free = [each for each in (bench.locations.staging,) if not each.is_relative_to(bench.locations.home)]
    with room("layer", on_disk=True) as space:
        if inside and is_allowed(space, bench.locations.home, free):
            with _layered(work, space, free) as traces:
                yield traces
            return
    with _watched(work) as traces:
        yield traces


@contextmanager
def _layered(work: Work, space: Path, free: Iterable[Path]) -> Iterator[Traces]:
    before = _places_of(work).watch().look()
    traces = Traces([], layered_words(space, work.bench.locations.home, free))
    yield traces
    with ONE_AT_A_TIME:
        traces.edited += AppliedLayer(work, upper_in(space), before).apply()


@contextmanager
def _watched(work: Work) -> Iterator[Traces]:
    """Where no layer is possible: the home is looked at before and after, and while the program works, so
    that what is written after it was killed does not count as its work. Nobody can know then who wrote what:
    in doubt it is the person's.
    """
    traces = Traces([])
    record, bench = work.record, work.bench
    languages = {os.fsencode(path): language for path, language in work.languages.items()}
    marks = (work.name, *map(str, work.own))
    places = _places_of(work)
    watch = places.watch()
    with ONE_AT_A_TIME:
        before, there = watch.look(), own_in(work.own)
        assert record.seen is not None
        seen = Path(record.seen)
        replace(seen, msgspec.msgpack.encode(before), 0o600)
        with _looking(places):
            yield traces
        found = difference(before, watch.look())
        came = list(found.came)
        for path in [p for p in (*found.changed, *came) if p in languages]:
            now = found.changed[path] if path in found.changed else content_at(path)
            was = before.contents.get(path, (b"", 0))[0]
            theirs = _without_others(was, now or b"", marks)
            traces.edited.append((languages[path], was, theirs))
            if theirs == (now or b""):
                _restore(path, before, now)
                continue
            rows = taken_out(*(lines_of(each) for each in (was, theirs, now or b"")))
            replace(
                Path(os.path.realpath(os.fsdecode(path))),
                b"".join(rows or lines_of(now or b"")),
                instead_of=now,
            )
            bench.remark(
                f"{bench.locations.shown(os.fsdecode(path))} got lines while {work.name} was running that may"
                " be yours: left in place"
            )
        outside = [str(place) for place in work.own]
        record.came = [quote_from_bytes(p) for p in came if p not in languages and not _within(p, outside)]
        record.touched = [
            touched(os.fsdecode(path), was, now and _without_others(was, now, marks), mode, bench)
            for path, now in found.changed.items()
            if path not in languages and path.isascii()
            for was, mode in (before.contents[path],)
        ]
        named = [Path(os.fsdecode(path)) for path in came if bears(os.fsdecode(path), work.name)]
        record.made_own = _made((*work.own, *named), there)
        record.seen = None
        bench.noted()
        discard(seen.parent)


_CLOSERS = (b"fi", b"done", b"esac", b"}", b"end", b"endif", b";;")
"""What ends a statement of several lines, by itself on its line, in one of the shells' languages."""


def _without_others(was: bytes, now: bytes, marks: Iterable[str]) -> bytes:
    """Return what a startup file would hold if only the program had written into it. Of each block of added
    lines that is all from the first to the last line with one of the ``marks`` (its name, its places), and
    the ends of statements right after it. The rest may be the person's.
    """
    import difflib

    words = [os.fsencode(mark).lower() for mark in marks]
    rows, new = lines_of(was), lines_of(now)
    result: list[bytes] = []
    for kind, a1, a2, b1, b2 in difflib.SequenceMatcher(None, rows, new, autojunk=False).get_opcodes():
        added = new[b1:b2]
        marked = [n for n, row in enumerate(added) if any(word in row.lower() for word in words)]
        if kind == "equal":
            result += added
        elif not marked:
            result += rows[a1:a2]
        elif kind == "replace" and a2 - a1 == b2 - b1:
            result += added
        else:
            first, last = marked[0], marked[-1] + 1
            while last < len(added) and added[last].strip() in _CLOSERS:
                last += 1
            while first > 0 and not added[first - 1].strip():
                first -= 1
            same_start = (
                kind == "replace" and added and rows[a1:a2] and added[0].rstrip() == rows[a1].rstrip()
            )
            result += added[:1] if same_start and first > 0 else []
            result += added[first:last]
    return b"".join(result)


@contextmanager
def _looking(places: Places) -> Iterator[None]:
    """Write down what is seen, again and again and once more at the end, by ourselves or, should we be
    killed, by another.
    """
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
    """What is in a folder that we made ourselves in a place of the program's, and the folder: for
    ``made_own``.
    """
    return own_in([place], digests=True)


def begin(bench: Bench) -> tuple[str, str]:
    """Places for what is seen in the home, for ``ForeignRecord.seen`` and ``during``."""
    room = bench.attic.room("seen")
    return str(room / "seen"), str(room / "during")


def take_back(record: ForeignRecord, bench: Bench, name: str) -> Reverted:
    """Undo what a program did outside its own places, and return what a person should know.

    ``name`` is the program's. An entry that is new, and not known to be its work, may be the person's own: it
    is left and reported.
    """
    if record.seen is not None:
        return Reverted(tuple(_cut_off(record, bench, name)))
    told: list[str] = []
    needed = False
    for each in record.touched:
        found = put_back(each)
        told += found.told
        needed |= found.needs
    told += _away(map(unquote_to_bytes, record.came), record.made_own, bench, name)
    return Reverted(tuple(told), needed=needed)


def own_of(record: ForeignRecord, place: Path) -> Inventory:
    """What a program put into one of its own places, by the path there: also where it was cut off."""
    return below(place, seen_last(Path(record.during)).own if record.seen is not None else record.made_own)


def _cut_off(record: ForeignRecord, bench: Bench, name: str) -> list[str]:
    """The program was still at work, or nobody looked afterwards. What it did until it was seen last is taken
    back; what is otherwise since is somebody else's, and stays.
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
    edited = [
        path for path in (*found.changed, *found.came) if path in before.contents or path in during.contents
    ]
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
    now, shown = content_at(path), bench.locations.shown(os.fsdecode(path))
    theirs = _without_others(was[0] if was else b"", did[0], (name,)) if did else b""
    whole = did is None or theirs == did[0]
    if whole and now == (did[0] if did else None) and os.path.islink(path) == (path in during.links):
        _restore(path, before, now)
        return []
    if now is None or now == (was[0] if was else None):
        return []
    rows = taken_out(*(lines_of(content) for content in ((was or (b"",))[0], theirs, now)))
    if rows is None:
        kept = (
            f"; what it held before is kept in {bench.attic.copy(Path(os.fsdecode(path)), was[0])}"
            if was
            else ""
        )
        return [
            f"{shown} was changed by {name}, which was cut off, and in the same lines since: it is left as it"
            f" is{kept}"
        ]
    replace(Path(os.path.realpath(os.fsdecode(path))), b"".join(rows), instead_of=now)
    return [f"{shown} was changed since {name} was cut off: only what {name} did was taken out"]


def _away(paths: Iterable[bytes], made: Inventory, bench: Bench, name: str) -> list[str]:
    """Remove what is as the program ``made`` it. What was changed since goes to the attic. The rest may be
    the person's own, and stays.
    """
    told: list[str] = []
    for path in map(Path, map(os.fsdecode, paths)):
        item = made.get(str(path))
        if item is not None and item.kind == "folder":
            told += empty(path, below(path, made), bench)
        elif item is not None and is_as(path, item):
            remove(path)
        elif item is not None and os.path.lexists(path):
            told.append(
                f"{bench.locations.shown(path)} was changed since {name} made it; it is kept in"
                f" {bench.attic.away(path)}"
            )
        elif os.path.lexists(path):
            told.append(
                f"{bench.locations.shown(path)} appeared while {name} was running, and may be yours: left in"
                " place"
            )
    return told


def _restore(path: bytes, before: Seen, now: bytes | None) -> None:
    """Make one entry what it was. Raises ``Changed`` where it no longer holds what it held ``now``."""
    text = os.fsdecode(path)
    if content_at(path) != now:
        raise Changed(f"{text} was changed meanwhile")
    if path in before.links and (not os.path.islink(path) or os.readlink(path) != before.links[path]):
        Path(text).unlink(missing_ok=True)
        os.symlink(before.links[path], path)
    if path in before.contents:
        content, mode = before.contents[path]
        replace(Path(os.path.realpath(text)), content, mode)
    elif path not in before.entries:
        discard_any(Path(text))


def _places_of(work: Work) -> Places:
    """Where to look while a program works."""
    return _places(
        work.bench.locations, map(os.fsencode, work.languages), work.own, work.name, work.record.during
    )


def _places(
    locations: Locations, files: Iterable[bytes], own: Iterable[Path] = (), name: str = "", during: str = ""
) -> Places:
    apart = (locations.data, locations.state, locations.cache, locations.config)
    return Places(
        str(locations.home),
        tuple(map(os.fsdecode, files)),
        tuple(map(str, apart)),
        tuple(map(str, own)),
        name,
        during,
    )


def _within(path: bytes, own: Iterable[str]) -> bool:
    """Whether a path is one of the program's own places, or a folder on the way to one."""
    text = os.fsdecode(path)
    return any(f"{text}/".startswith(f"{place}/") for place in own)
