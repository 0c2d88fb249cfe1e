"""A foreign program at work in the person's home: what it did there is found, and can be taken back."""

from __future__ import annotations

import os
import shutil
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path
from urllib.parse import quote_from_bytes, unquote_to_bytes

import msgspec

from zesty_anchor.changes.change import Bench, Record
from zesty_anchor.files.edit import put_back, replace
from zesty_anchor.files.removal import discard
from zesty_anchor.shells.known import SHELLS
from zesty_anchor.survey.home_watch import ONE_AT_A_TIME, HomeWatch, Seen, difference
from zesty_anchor.survey.machine import Machine
from zesty_anchor.survey.startup.caught import Edited
from zesty_anchor.system.locations import Locations


class Startup(msgspec.Struct, frozen=True):
    """A startup file, and the language that it is written in."""

    path: str
    language: str


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
def watched(record: Record, startup: Iterable[Startup], bench: Bench, own: Iterable[str]) -> Iterator[Traces]:
    """Lets a foreign program work in the home. Afterwards its edits of startup files are taken out, and the rest of
    what it did outside the places that are its ``own`` is noted in the record, for ``take_back``.

    The record has been through ``begin``.
    """
    traces = Traces([])
    languages = {os.fsencode(each.path): each.language for each in startup}
    watch = _watch(bench.locations, languages)
    with ONE_AT_A_TIME:
        before = watch.look()
        Path(record["seen"]).write_bytes(msgspec.msgpack.encode(before))
        yield traces
        found = difference(before, watch.look())
        came = list(found.came)
        for path in [p for p in (*found.changed, *came) if p in languages]:
            now = found.changed[path] if path in found.changed else _content(path)
            traces.edited.append((languages[path], before.contents.get(path, (b"", 0))[0], now or b""))
            _restore(path, before)
        # The journal is JSON, which knows no bytes that are not UTF-8.
        record["came"] = [quote_from_bytes(p) for p in came if p not in languages and not _within(p, own)]
        record["touched"] = [
            _touched(path, now, before, bench)
            for path, now in found.changed.items()
            if path not in languages and path.isascii()
        ]
        Path(record.pop("seen")).unlink()


def begin(bench: Bench, startup: Iterable[Startup]) -> Record:
    """The part of a record that ``watched`` needs."""
    room = bench.attic / f"seen-{len(list(bench.attic.glob('seen-*'))):03}"
    return {"seen": str(room), "startup": [each.path for each in startup]}


def take_back(record: Record, bench: Bench, name: str) -> list[str]:
    """Take back what a program did outside its own places, and return what a person should know.

    ``name`` is the program's. What came and does not bear that name may be the person's own: it goes to the attic.
    """
    if "seen" in record:
        return _cut_off(record, bench, name)
    told: list[str] = []
    for touched in record.get("touched", ()):
        told += put_back(touched)
    return told + _away(map(unquote_to_bytes, record.get("came", ())), bench, name)


def _cut_off(record: Record, bench: Bench, name: str) -> list[str]:
    """The program was still at work, or nobody looked afterwards."""
    seen = Path(record["seen"])
    if not seen.is_file():
        return []
    before = msgspec.msgpack.decode(seen.read_bytes(), type=Seen)
    languages = dict.fromkeys(map(os.fsencode, record["startup"]), "")
    found = difference(before, _watch(bench.locations, languages).look())
    told = []
    for path, now in found.changed.items():
        if now is not None and now != before.contents[path][0]:
            kept = _free(bench.attic, os.path.basename(os.fsdecode(path)).lstrip(".") + ".found")
            kept.write_bytes(now)
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
            kept = _free(bench.attic, os.path.basename(path).lstrip("."))
            shutil.move(path, kept)
            told.append(f"{bench.locations.shown(path)} came while {name} was at work; it is kept in {kept}")
    return told


def _touched(path: bytes, now: bytes | None, before: Seen, bench: Bench) -> Record:
    content, mode = before.contents[path]
    kept, after = _free(bench.attic, "touched-before"), None
    kept.write_bytes(content)
    if now is not None:
        after = _free(bench.attic, "touched-after")
        after.write_bytes(now)
    text = os.fsdecode(path)
    return {"path": text, "name": bench.locations.shown(text), "mode": mode, "before": str(kept),
            "after": str(after) if after else None}  # fmt: skip


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


def discard_any(path: Path) -> None:
    """Remove a file, a link, or a folder with all in it. Nothing there is no error."""
    if path.is_dir() and not path.is_symlink():
        discard(path)
    else:
        path.unlink(missing_ok=True)


def _watch(locations: Locations, files: Iterable[bytes]) -> HomeWatch:
    apart = (locations.data, locations.state, locations.cache, locations.config)
    return HomeWatch(locations.home, [Path(os.fsdecode(file)) for file in files], apart)


def _within(path: bytes, own: Iterable[str]) -> bool:
    """Whether a path is one of the program's own places, or a folder on the way to one."""
    text = os.fsdecode(path)
    return any(f"{text}/".startswith(f"{place}/") for place in own)


def _free(attic: Path, name: str) -> Path:
    number = 1
    while os.path.lexists(attic / f"{number:03}-{name}"):
        number += 1
    return attic / f"{number:03}-{name}"


def _content(path: bytes) -> bytes | None:
    try:
        with open(path, "rb") as file:
            return file.read()
    except OSError:
        return None
