"""Taking changes back, the latest first."""

from __future__ import annotations

import shutil
from collections.abc import Iterable
from pathlib import Path

import msgspec

from zesty_anchor.changes.bench import Bench
from zesty_anchor.changes.change import Kinds
from zesty_anchor.changes.record import Record, Reverted
from zesty_anchor.engine.journal import Entry, Journal
from zesty_anchor.engine.outcome import ChangeReport, TakenBack
from zesty_anchor.files.folders import remove_empty
from zesty_anchor.system.locations import Locations
from zesty_anchor.system.problem import Problem


def attic_of(run: int, locations: Locations) -> Path:
    """The folder in the attic that belongs to a run."""
    return locations.attic / f"run-{run:05}"


def record_of(kinds: Kinds, entry: Entry) -> Record:
    """The record of a change in the journal. Raises ``Problem`` where this program does not know its kind."""
    if entry.kind not in kinds:
        raise Problem(
            f"the journal holds a change of a kind that is not known here: {entry.kind}",
            where=f"{entry.action} {entry.subject}",
            advice="it was made by a newer zesty-anchor: upgrade it",
        )
    return msgspec.json.decode(entry.record, type=kinds[entry.kind].record)


def needs_privilege(kinds: Kinds, entries: Iterable[Entry]) -> bool:
    """Whether taking one of these changes back needs privilege."""
    return any(record_of(kinds, entry).privileged for entry in entries)


def take_back_entry(kinds: Kinds, journal: Journal, entry: Entry, bench: Bench) -> Reverted:
    """Take one change back; where that was whole, write it down.

    The folders that it made on its way are left to ``tidy``: others may be at work in them.
    """
    try:
        reverted = kinds[entry.kind].take_back(record_of(kinds, entry), bench)
    except (Problem, OSError) as error:
        what = error if isinstance(error, Problem) else f"{error.strerror} ({error.filename or entry.subject})"
        return Reverted((f"{entry.action} {entry.subject} could not be taken back: {what}",), whole=False)
    if reverted.whole:
        journal.taken_back(entry.change)
    return reverted


def tidy(record: Record) -> None:
    """Remove the folders that a change made on its way, as far as they are empty."""
    remove_empty(record.made)


def recover(kinds: Kinds, journal: Journal, bench: Bench) -> TakenBack:
    """Take back the changes that an earlier run was cut off in."""
    return _all(kinds, journal, journal.unfinished(), bench)


def take_back_run(kinds: Kinds, journal: Journal, run: int, bench: Bench) -> TakenBack:
    """Take back everything that a run did. Its folder in the attic goes too, unless something in it is still needed."""
    taken = _all(kinds, journal, journal.entries(run), bench)
    if taken.whole:
        journal.run_taken_back(run)
    if taken.whole and not taken.notices:
        shutil.rmtree(attic_of(run, bench.locations), ignore_errors=True)
    return taken


def _all(kinds: Kinds, journal: Journal, entries: list[Entry], bench: Bench) -> TakenBack:
    changes: list[ChangeReport] = []
    notices: list[str] = []
    for entry in entries:
        reverted = take_back_entry(kinds, journal, entry, bench)
        notices += reverted.notices
        if reverted.whole:
            tidy(record_of(kinds, entry))
        outcome = "taken back" if reverted.whole else "not taken back"
        changes.append(ChangeReport(entry.kind, entry.subject, entry.action, "", outcome))
    return TakenBack(tuple(changes), tuple(notices))
