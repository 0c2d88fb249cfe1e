"""The home that a journal belongs to: noted, and followed where it was moved or copied."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from contextlib import suppress
from pathlib import Path

import msgspec

from zesty_anchor.changes.kinds import KINDS
from zesty_anchor.changes.shells.generated_file import follow_generated
from zesty_anchor.changes.shells.launcher_set import follow_launchers
from zesty_anchor.engine.home_identity import HomeIdentity, Meeting, identity_of, meet
from zesty_anchor.engine.journal import Entry, Journal
from zesty_anchor.engine.undo import record_of
from zesty_anchor.files import cache_homes, own_folders
from zesty_anchor.files.home_move import HomeMove
from zesty_anchor.files.removal import discard_any
from zesty_anchor.planning import projects
from zesty_anchor.proof.proved import forget
from zesty_anchor.shelf.follow import Followed, follow_receipt, follow_shelf
from zesty_anchor.system.locations import Locations

_MOST = 3
"""How many things are named of which the person should know."""


def follow_home(journal: Journal, locations: Locations) -> tuple[str, ...]:
    """Note whose home this is; where it is another one than before, have all that names the old one name this
    one.

    Returns what a person should know. Nobody else may be at work in this home, and our folders are its own
    (``check_its_own``).
    """
    known = journal.home()
    if known is None or (not known.journal and known.home == str(locations.home)):
        plain = known.plain_runs if known is not None else 0
        if journal.on_disk:
            journal.belongs(msgspec.structs.replace(identity_of(locations), plain_runs=plain))
        return ()
    meeting = meet(known, locations)
    if meeting is Meeting.SAME:
        return ()
    move = HomeMove(known.home, str(locations.home))
    copied = meeting is Meeting.COPIED
    stay = [
        entry
        for entry in _entries(journal)
        if meeting is not Meeting.MOVED and _stays_there(entry, locations, copied)
    ]
    written, compiled_in = _follow(journal, locations, move)
    new = identity_of(locations, "" if copied else known.journal)
    copied_from = (*known.copied_from, known.home) if copied else known.copied_from
    plain = 0 if copied else known.plain_runs
    journal.belongs(msgspec.structs.replace(new, copied_from=copied_from, plain_runs=plain), stay)
    cache_homes.follow(locations, Path(known.home), stays=copied)
    return tuple(_told(meeting, known, locations, written, compiled_in, stay))


def _entries(journal: Journal) -> Iterator[Entry]:
    for run in journal.standing_runs():
        yield from journal.entries(run)


def _stays_there(entry: Entry, locations: Locations, copied: bool) -> bool:
    """Whether a change is one of the system, or (for a copy) of a place outside of this home: it stays the
    other home's.
    """
    record = record_of(KINDS, entry)
    return record.privileged or (
        copied and any(not _is_inside(place, locations) for place in record.places())
    )


def _is_inside(place: str, locations: Locations) -> bool:
    own = (locations.home, locations.data, locations.state, locations.cache, locations.config)
    return any(Path(place).is_relative_to(folder) for folder in own)


def _follow(journal: Journal, locations: Locations, move: HomeMove) -> tuple[int, tuple[str, ...]]:
    """Have all that is ours name the home where it is. Returns how many files were written, and what must be
    installed again.
    """
    for entry in list(_entries(journal)):
        record = record_of(KINDS, entry)
        moved = KINDS[entry.kind].follow(record, move)
        if moved is not None:
            journal.noted(entry.run, entry.change, moved, entry.state)
    written = follow_generated(locations, move) + follow_launchers(locations.launchers, move)
    shelf: Followed = follow_shelf(locations.shelf, move)
    for link in locations.shelf.glob("*/*"):
        if link.is_symlink() and link.resolve().is_relative_to(locations.home):
            follow_receipt(link.resolve(), move)
    own_folders.follow((locations.state, locations.data, locations.cache, *_inner(locations)), move)
    forget(locations.state)
    projects.follow(locations.state, move)
    discard_any(locations.pins)  # what projects pin is asked for again
    return written + shelf.written, shelf.compiled_in


def _inner(locations: Locations) -> Iterable[Path]:
    with suppress(OSError):
        return [path for path in locations.cache.iterdir() if path.is_dir()]
    return []


def _told(
    meeting: Meeting,
    known: HomeIdentity,
    locations: Locations,
    written: int,
    compiled_in: tuple[str, ...],
    stay: list[Entry],
) -> Iterator[str]:
    how = {
        Meeting.MOVED: f"this home was moved here from {known.home}",
        Meeting.BROUGHT: f"this home came from another machine, where it was {known.home}",
        Meeting.COPIED: f"this home is a copy of {known.home}, which is left as it is",
    }[meeting]
    yield how + (
        f"; updated {written} {'file' if written == 1 else 'files'} to the new path" if written else ""
    )
    if compiled_in:
        names = ", ".join(compiled_in[:_MOST]) + (
            f" and {len(compiled_in) - _MOST} more" if len(compiled_in) > _MOST else ""
        )
        verb = "contains" if len(compiled_in) == 1 else "contain"
        yield (
            f"{names} {verb} the old path in compiled files: reinstall with zesty-anchor remove, then"
            " zesty-anchor provision"
        )
    if stay:
        subjects = ", ".join(f"{entry.action} {entry.subject}" for entry in stay[:_MOST])
        more = f" and {len(stay) - _MOST} more" if len(stay) > _MOST else ""
        yield f"changes outside this home still belong to the other one: {subjects}{more}"
