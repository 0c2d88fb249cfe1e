"""Taking changes back, the latest first."""

from __future__ import annotations

import shutil
from pathlib import Path

from zesty_anchor.changes.change import Bench, Kinds, Record
from zesty_anchor.engine.journal import Entry, Journal
from zesty_anchor.engine.outcome import ChangeReport, TakenBack
from zesty_anchor.files.folders import remove_empty
from zesty_anchor.system.locations import Locations


def attic_of(run: int, locations: Locations) -> Path:
    """The folder in the attic that belongs to a run."""
    return locations.attic / f"run-{run:05}"


def take_back_entry(kinds: Kinds, journal: Journal, entry: Entry, bench: Bench) -> list[str]:
    """Take one change back, and write that down. Returns what a person should know.

    The folders that it made on its way are left to ``tidy``: others may be at work in them.
    """
    told = list(kinds[entry.kind].take_back(entry.record, bench))
    journal.taken_back(entry.change)
    return told


def tidy(record: Record) -> None:
    """Remove the folders that a change made on its way, as far as they are empty."""
    remove_empty(record.get("made", ()))


def recover(kinds: Kinds, journal: Journal, bench: Bench) -> TakenBack:
    """Take back the changes that an earlier run was cut off in."""
    return _all(kinds, journal, journal.unfinished(), bench)


def take_back_run(kinds: Kinds, journal: Journal, run: int, bench: Bench) -> TakenBack:
    """Take back everything that a run did. Its folder in the attic goes too, unless something in it is still needed."""
    taken = _all(kinds, journal, journal.entries(run), bench)
    journal.run_taken_back(run)
    if not taken.notices:
        shutil.rmtree(attic_of(run, bench.locations), ignore_errors=True)
    return taken


def _all(kinds: Kinds, journal: Journal, entries: list[Entry], bench: Bench) -> TakenBack:
    changes: list[ChangeReport] = []
    notices: list[str] = []
    for entry in entries:
        notices += take_back_entry(kinds, journal, entry, bench)
        tidy(entry.record)
        changes.append(ChangeReport(entry.kind, entry.subject, entry.action, "", "taken back"))
    return TakenBack(tuple(changes), tuple(notices))
