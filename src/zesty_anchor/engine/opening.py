"""Opening the journal: alone, and where it is lost, as far as the attic and the shelf tell it anew."""

from __future__ import annotations

import fcntl
import os
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec

from zesty_anchor.engine import twin
from zesty_anchor.engine.database import Unreadable
from zesty_anchor.engine.home_paths import stored, stored_json
from zesty_anchor.engine.journal import Journal, LatestRun, Past, StandingWrite
from zesty_anchor.files import own_folders
from zesty_anchor.files.replace import flush_folder
from zesty_anchor.shelf.receipt import stock
from zesty_anchor.system.locations import Locations
from zesty_anchor.system.problem import Problem

if TYPE_CHECKING:
    from zesty_anchor.changes.change import Kinds


_MOST = 5
"""How many changes are named."""


def past(locations: Locations, kinds: Callable[[], Kinds]) -> Past:
    """What the journal tells. None is made for asking. ``kinds`` are fetched only where it is lost, which
    takes its time. Raises ``Problem`` as ``Journal`` does.
    """
    with _as_it_is(locations) or read_journal(locations, kinds()) as journal:
        return Past(
            journal.resolutions(),
            journal.last_manifest(),
            bool(journal.unfinished()),
            journal.home(),
            journal.last_run(),
            journal.last_promised(),
        )


def latest(locations: Locations, kinds: Callable[[], Kinds]) -> tuple[LatestRun | None, list[StandingWrite]]:
    """The latest run that stands (None: there is none), and what runs wrote that stands. As ``past``."""
    with _as_it_is(locations) or read_journal(locations, kinds()) as journal:
        return journal.latest(), journal.standing_writes()


def read_journal(locations: Locations, kinds: Kinds) -> Journal:
    """The journal, to be read alone; where it is lost, what can be told of it."""
    journal = _as_it_is(locations)
    if journal is None:
        journal = Journal(locations, on_disk=False)
        journal.add_from(_told(locations, kinds))
    return journal


def open_journal(locations: Locations, kinds: Kinds) -> Journal:
    """The journal, to be written. One that is lost is made anew from what the attic and the shelf tell, and
    says so; what is left of its file is set aside. Nobody else may be at work in this home.

    Raises ``Problem`` where it is one of a newer program, or cannot be written.
    """
    journal = _as_it_is(locations)
    if journal is not None:
        return _reconciled(journal, locations, kinds) if journal.on_disk else Journal(locations)
    file, events = locations.journal, _told(locations, kinds)
    aside = _set_aside(file)
    journal = Journal(locations)
    journal.add_from(events)
    home = next((event.home for event in reversed(events) if event.home is not None), None)
    if home is not None:
        journal.belongs(home)
    for path in _unnamed(locations, events):
        journal.keep(0, "", str(path))
    if not events and aside is None:
        return journal
    changes = len({(event.run, event.change) for event in events if event.change})
    why = f"could not be read: it is kept in {locations.shown(aside)}" if aside else "was gone"
    journal.remade = (
        f"the journal {why}; {changes} changes are known from the attic and the shelf, and can be undone"
    )
    return journal


def _reconciled(journal: Journal, locations: Locations, kinds: Kinds) -> Journal:
    """Return the journal with a run added for what is here and not in it: it may have been restored from a
    backup.
    """
    known = journal.stored_records()
    found = _found(locations, kinds, 0, known)
    if found:
        run = journal.begin_run(Path())
        journal.add_from(msgspec.structs.replace(event, run=run) for event in found if event.change)
        journal.end_run(run)
        names = [f"{event.action} {event.subject}" for event in found if event.change]
        more = f" and {len(names) - _MOST} more" if len(names) > _MOST else ""
        journal.remade = (
            f"the journal is older than this home: it did not list {len(names)} changes that were found here:"
            f" {', '.join(names[:_MOST])}{more}; they are now run {run}, and undo reverses them"
        )
    return journal


def _as_it_is(locations: Locations) -> Journal | None:
    """The journal; an empty one that is nowhere on disk, where nothing was done here yet; None where it is
    lost.
    """
    file = locations.journal
    try:
        return Journal(locations) if file.stat().st_size else None
    except Unreadable:
        return None
    except FileNotFoundError:
        lost = bool(twin.last_run(locations.attic)) or bool(stock(locations.shelf))
        return None if lost else Journal(locations, on_disk=False)


def _told(locations: Locations, kinds: Kinds) -> list[twin.Event]:
    """What the twins tell, and what the kinds of change find that none of them names."""
    events = twin.events(locations)
    run = max(twin.last_run(locations.attic), max((event.run for event in events), default=0)) + 1
    return [*events, *_found(locations, kinds, run, b"\0".join(bytes(event.record) for event in events))]


def _found(locations: Locations, kinds: Kinds, run: int, named: bytes) -> list[twin.Event]:
    """What the kinds of change find here that no record in ``named`` (as the journal stores them) names, as
    events of a run.
    """
    home = str(locations.home)
    found: list[twin.Event] = []
    for kind in kinds.values():
        for subject, action, record in kind.found(locations):
            if not any(msgspec.json.encode(stored(place, home)) in named for place in record.places()):
                text = msgspec.Raw(stored_json(msgspec.json.encode(record), home))
                found.append(twin.Event(run, len(found) + 1, "done", kind.name, subject, action, text))
    return [twin.Event(run, began=time.time()), *found] if found else []


def _unnamed(locations: Locations, events: list[twin.Event]) -> Iterator[Path]:
    """What lies in the attic and no change names."""
    named = b"\0".join(bytes(event.record) for event in events).decode("utf-8", "replace")
    for folder in sorted(locations.attic.glob("run-*")):
        for path in sorted(folder.iterdir()):
            if path.name != twin.NAME and stored(str(path), str(locations.home)) not in named:
                yield path


def _set_aside(file: Path) -> Path | None:
    """Rename what is left of a journal's file; None where there was nothing in it."""
    if not file.exists():
        return None
    if not file.stat().st_size:
        file.unlink()
        return None
    number = 1
    while (aside := file.with_name(f"{file.name}.unreadable-{number}")).exists():
        number += 1
    file.rename(aside)
    for ending in ("-journal", "-wal", "-shm"):
        file.with_name(file.name + ending).unlink(missing_ok=True)
    flush_folder(file.parent)
    return aside


@contextmanager
def alone(state: Path) -> Iterator[None]:
    """Keep other runs for the same home out meanwhile. Raises ``Problem`` where one is under way."""
    while True:
        own_folders.make(state)
        file = state / "lock"
        handle = os.open(file, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
        try:
            try:
                fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
            except BlockingIOError:
                other = os.pread(handle, 20, 0).decode("ascii", "replace").strip()
                raise Problem(
                    f"another zesty-anchor is at work in this home (process {other or 'unknown'})",
                    where=str(file),
                    advice="wait for it to end, then run the command again",
                ) from None
            if not _is(file, handle):
                continue  # another one removed the folder, with this file, just before
            os.ftruncate(handle, 0)
            os.pwrite(handle, f"{os.getpid()}\n".encode(), 0)
            yield
            return
        finally:
            os.close(handle)


def _is(file: Path, handle: int) -> bool:
    try:
        return os.path.samestat(file.stat(), os.fstat(handle))
    except FileNotFoundError:
        return False
