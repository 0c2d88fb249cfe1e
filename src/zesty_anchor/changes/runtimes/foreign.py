"""A foreign program at work in the person's home: what it did there is found, and can be taken back."""

from __future__ import annotations

import os
import threading
from collections.abc import Iterable, Iterator, Mapping
from contextlib import contextmanager, suppress
from pathlib import Path
from urllib.parse import quote_from_bytes, unquote_to_bytes

import msgspec

from zesty_anchor.changes.bench import Bench
from zesty_anchor.changes.record import Record, Reverted, copies_of
from zesty_anchor.changes.runtimes.home_layer import Written, place, take, written
from zesty_anchor.changes.runtimes.last_look import Places, bears, kept_watch, own_in, seen_last
from zesty_anchor.changes.runtimes.leaving import empty
from zesty_anchor.files.digest import digest_of
from zesty_anchor.files.edit import Copies, lines_of, put_back, taken_out
from zesty_anchor.files.inventory import Inventory, below, is_as, item_at
from zesty_anchor.files.removal import discard, discard_any
from zesty_anchor.files.replace import Changed, remove, replace
from zesty_anchor.shells.known import SHELLS
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
    """What was found of a program's work: its edits of startup files, which are taken back, or were never made in the home. ``within`` are
    the words in front of a command that have it work in a layer over the home (none: it works in the home itself).
    """

    edited: list[Edited]
    within: tuple[str, ...] = ()


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
    """Lets a foreign program work in the home. Afterwards its edits of startup files are not there, and the rest of what it did is, and is
    noted in the record, for ``take_back``; ``own`` are the places that are its own, ``name`` is its name.

    It works in a layer over the home, by the words ``within``, and what it wrote there is applied once it has ended well: so what it did
    is known exactly, whoever else writes into the home meanwhile, and one that fails, or is killed, leaves the home as it was. Where the
    system allows no layer, the home is watched. The record holds what ``begin`` gave.
    """
    languages = {each.path: each.language for each in startup}
    own, home = tuple(own), bench.locations.home
    inside = all(Path(os.path.realpath(each)).is_relative_to(os.path.realpath(home)) for each in own)
    free = [each for each in (bench.locations.staging,) if not each.is_relative_to(home)]
    with room("layer", on_disk=True) as space:
        if inside and is_allowed(space, home, free):
            with _layered(record, languages, bench, own, name, space, free) as traces:
                yield traces
            return
    with _watched(record, languages, bench, own, name) as traces:
        yield traces


@contextmanager
def _layered(
    record: ForeignRecord,
    languages: Mapping[str, str],
    bench: Bench,
    own: tuple[Path, ...],
    name: str,
    space: Path,
    free: Iterable[Path],
) -> Iterator[Traces]:
    places = _places(bench.locations, map(os.fsencode, languages), own, name, record.during)
    before = places.watch().look()
    traces = Traces([], layered_words(space, bench.locations.home, free))
    yield traces
    with ONE_AT_A_TIME:
        _Applying(record, languages, bench, own, name, upper_in(space), before).apply(traces)


class _Applying:
    """Applies what a program wrote in its layer to the home: noted before it is done, so that whoever is cut off in it can be taken back.
    ``before`` is what the home held before the program began.
    """

    def __init__(
        self,
        record: ForeignRecord,
        languages: Mapping[str, str],
        bench: Bench,
        own: tuple[Path, ...],
        name: str,
        upper: Path,
        before: Seen,
    ) -> None:
        self._record = record
        self._languages = {os.path.realpath(path): language for path, language in languages.items()} | dict(languages)
        self._bench = bench
        self._own = own
        self._name = name
        self._upper = upper
        self._home = bench.locations.home
        self._before = before

    def apply(self, traces: Traces) -> None:
        """All of it. Its edits of startup files go into the ``traces`` alone."""
        record, bench = self._record, self._bench
        found = self._found()
        for path in (*found.new, *found.changed):
            if str(path) in self._languages:
                was = self._before.contents.get(os.fsencode(path), (b"", 0))[0]
                now = _content(os.fsencode(place(self._upper, self._home, path)))
                traces.edited.append((self._languages[str(path)], was, now or b""))
        new = [path for path in found.new if str(path) not in self._languages]
        changed = [path for path in found.changed if str(path) not in self._languages]
        beside = [path for path in new if not self._is_own(path)]
        merged = {path: self._merged(path) for path in changed if not self._is_own(path)}
        record.came = [quote_from_bytes(os.fsencode(path)) for path in beside]
        record.made_own = self._made(new)
        edits = {path: edit for path, edit in merged.items() if edit is not None}
        record.touched = [
            _touched(os.fsencode(path), after, now, path.stat().st_mode & 0o7777, bench)
            for path, (now, after) in edits.items()
        ]
        record.seen, room_of_record = None, Path(record.seen or "").parent
        bench.noted()
        for path in new:
            self._put(path)
        for path in (each for each in changed if self._is_own(each)):
            discard_any(path)
            take(self._upper, self._home, path)
        for path, (now, after) in edits.items():
            replace(path, after, instead_of=now)
        for path in found.removed:
            if self._is_own(path):
                discard_any(path)
            elif str(path) not in self._languages:
                bench.remark(
                    f"{self._name} would have removed {bench.locations.shown(path)}, which is not its own: it stays"
                )
        discard(room_of_record)

    def _found(self) -> Written:
        apart = (bench := self._bench.locations).data, bench.state, bench.cache, bench.config
        split = (*self._own, *map(Path, self._languages))
        found = [written(self._upper, self._home, apart, split)]
        for each in self._own:  # a manager may keep what it installs in a folder of ours
            inner = place(self._upper, self._home, each)
            if any(each.is_relative_to(folder) for folder in apart) and os.path.lexists(inner):
                found.append(written(inner, each) if each.is_dir() else Written((each,), (), ()))
        return Written(
            *(tuple(path for one in found for path in getattr(one, which)) for which in ("new", "changed", "removed"))
        )

    def _is_own(self, path: Path) -> bool:
        return any(path.is_relative_to(each) for each in self._own)

    def _made(self, new: Iterable[Path]) -> Inventory:
        made: Inventory = {}
        for path in new:
            inner = place(self._upper, self._home, path)
            for name, item in own_in([inner], digests=True).items():
                made[f"{path}{name[len(str(inner)) :]}"] = item
        return {name: item for name, item in made.items() if item.kind != "other"}

    def _put(self, path: Path) -> None:
        """What is new, where nothing is by now; else it is kept in the attic, and what is there stays."""
        bench = self._bench
        if not os.path.lexists(path):
            take(self._upper, self._home, path)
            return
        kept = bench.attic.place(path.name)
        take(self._upper, self._home, path, kept)
        bench.attic.noted(str(path), str(kept))
        bench.remark(
            f"{bench.locations.shown(path)} was made by somebody else too: what {self._name} wrote is kept in {kept}"
        )

    def _merged(self, path: Path) -> tuple[bytes, bytes] | None:
        """What a file of the person's holds now, and what it gets: what the program did to it, on top of what others did meanwhile. None
        where it stays as it is, which is told.
        """
        shown, layer = self._bench.locations.shown(path), place(self._upper, self._home, path)
        now, after = _content(os.fsencode(path)), _content(os.fsencode(layer))
        was = self._before.contents.get(os.fsencode(path), (now, 0))[0]
        if path.is_symlink() or layer.is_symlink() or now is None or after is None or was is None:
            self._bench.remark(f"{shown} is not what {self._name} wrote: it stays as it is")
            return None
        if now == was:
            return now, after
        rows = taken_out(*(lines_of(each) for each in (after, was, now)))  # its edit the other way round, taken out
        if rows is None:
            kept = self._bench.attic.copy(path, after)
            self._bench.remark(
                f"{shown} was changed in the same lines meanwhile, and stays: what {self._name} wrote is kept in {kept}"
            )
            return None
        return now, b"".join(rows)


@contextmanager
def _watched(
    record: ForeignRecord, named_languages: Mapping[str, str], bench: Bench, own: tuple[Path, ...], name: str
) -> Iterator[Traces]:
    """Where no layer can be had: the home is looked at before and after, and while the program works, so that what came after it was
    killed is not taken for its doing. Nobody can tell then who wrote what: in doubt it is the person's.
    """
    traces = Traces([])
    languages = {os.fsencode(path): language for path, language in named_languages.items()}
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
            was = before.contents.get(path, (b"", 0))[0]
            theirs = _without_others(was, now or b"", (name, *map(str, own)))
            traces.edited.append((languages[path], was, theirs))
            if theirs == (now or b""):
                _restore(path, before, now)
                continue
            rows = taken_out(*(lines_of(each) for each in (was, theirs, now or b"")))
            replace(Path(os.path.realpath(os.fsdecode(path))), b"".join(rows or lines_of(now or b"")), instead_of=now)
            bench.remark(
                f"{bench.locations.shown(os.fsdecode(path))} got lines while {name} was at work that may be yours: they stay"
            )
        outside = [str(place) for place in own]
        record.came = [quote_from_bytes(p) for p in came if p not in languages and not _within(p, outside)]
        marks = (name, *map(str, own))
        record.touched = [
            _touched(path, now and _without_others(before.contents[path][0], now, marks), *before.contents[path], bench)
            for path, now in found.changed.items()
            if path not in languages and path.isascii()
        ]
        named = [Path(os.fsdecode(path)) for path in came if bears(os.fsdecode(path), name)]
        record.made_own = _made((*own, *named), there)
        record.seen = None
        bench.noted()
        discard(seen.parent)


_CLOSERS = (b"fi", b"done", b"esac", b"}", b"end", b"endif", b";;")
"""What ends a statement of several lines, by itself on its line, in one of the shells' languages."""


def _without_others(was: bytes, now: bytes, marks: Iterable[str]) -> bytes:
    """What a startup file would hold had only the program written into it: of what was added together, from the first line to the last in
    which one of these ``marks`` stands (its name, its places), with what ends a statement there. The rest may be the person's.
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
            same_start = kind == "replace" and added and rows[a1:a2] and added[0].rstrip() == rows[a1].rstrip()
            result += added[:1] if same_start and first > 0 else []
            result += added[first:last]
    return b"".join(result)


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

    ``name`` is the program's. What came, and is not known to be its doing, may be the person's own: it stays, and is told.
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
    theirs = _without_others(was[0] if was else b"", did[0], (name,)) if did else b""
    whole = did is None or theirs == did[0]
    if whole and now == (did[0] if did else None) and os.path.islink(path) == (path in during.links):
        _restore(path, before, now)
        return []
    if now is None or now == (was[0] if was else None):
        return []
    rows = taken_out(*(lines_of(content) for content in ((was or (b"",))[0], theirs, now)))
    if rows is None:
        kept = f"; what it held before is kept in {bench.attic.copy(Path(os.fsdecode(path)), was[0])}" if was else ""
        return [
            f"{shown} was changed by {name}, which was cut off, and in the same lines since: it is left as it is{kept}"
        ]
    replace(Path(os.path.realpath(os.fsdecode(path))), b"".join(rows), instead_of=now)
    return [f"{shown} was changed since {name} was cut off: only what {name} did was taken out"]


def _away(paths: Iterable[bytes], made: Inventory, bench: Bench, name: str) -> list[str]:
    """Remove what is as the program ``made`` it. The rest may be the person's own, and stays; what differs from what it made goes to
    the attic.
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
                f"{bench.locations.shown(path)} is not as {name} made it any more; it is kept in {bench.attic.away(path)}"
            )
        elif os.path.lexists(path):
            told.append(f"{bench.locations.shown(path)} came while {name} was at work, and may be yours: it stays")
    return told


def _touched(path: bytes, now: bytes | None, content: bytes, mode: int, bench: Bench) -> Copies:
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
