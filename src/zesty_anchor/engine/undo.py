"""Taking changes back, the latest first."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from pathlib import Path

import msgspec

from zesty_anchor.changes.bench import Bench
from zesty_anchor.changes.change import Kinds
from zesty_anchor.changes.record import Record, Reverted
from zesty_anchor.engine.journal import Entry, Journal
from zesty_anchor.engine.outcome import ChangeReport, TakenBack
from zesty_anchor.engine.twin import run_folder
from zesty_anchor.files.folders import remove_empty
from zesty_anchor.files.removal import discard_any
from zesty_anchor.system.locations import Locations
from zesty_anchor.system.problem import Problem
from zesty_anchor.system.refusal import of_system


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
    """Take one change back; where that was whole, write it down, with what a person should know and what
    stays in the attic.

    While that goes on it counts as begun: where we are cut off in it, the next run ends it. The folders that
    it made on its way are left to ``tidy``: others may be at work in them.
    """
    record = record_of(kinds, entry)
    if entry.state == "done":
        journal.noted(entry.run, entry.change, record, "begun")
    try:
        reverted = kinds[entry.kind].take_back(record, bench)
    except (Problem, OSError) as error:
        problem = error if isinstance(error, Problem) else of_system(error, entry.subject)
        told = f"{entry.action} {entry.subject} could not be undone: {problem}; {problem.advice}"
        reverted = Reverted((told,), whole=False)
    if not reverted.whole:
        if entry.state == "done":
            journal.noted(entry.run, entry.change, record, "done")
        return reverted
    things = {kept: was for was, kept in record.in_attic().items()}
    if reverted.needed:
        things |= {kept: was for kept, was in record.attic_copies().items() if was}
    there = {kept: was for kept, was in things.items() if os.path.lexists(kept)}
    journal.taken_back(entry, reverted.notices, there)
    _let_go(record, there)
    return reverted


def _let_go(record: Record, things: Mapping[str, str]) -> None:
    """Remove what the attic holds for a change that is over, but for the things that stay."""
    for kept in record.attic_copies():
        if kept not in things:
            discard_any(Path(kept))
            remove_empty([str(Path(kept).parent)])


def tidy(record: Record) -> None:
    """Remove the folders that a change made on its way, as far as they are empty."""
    remove_empty(record.made)


def recover(
    kinds: Kinds, journal: Journal, locations: Locations, bench_of: Callable[[int], Bench]
) -> TakenBack:
    """Take back the changes that an earlier run was cut off in, and clear what others left. ``bench_of``
    gives what changes of a run work with.
    """
    for run in journal.runs_over():
        _clear_attic(journal, run, locations)
    for run in journal.runs_left_open():
        _close(kinds, journal, run, locations)
    return _all(kinds, journal, journal.unfinished(), bench_of)


def take_back_run(
    kinds: Kinds, journal: Journal, run: int, bench_of: Callable[[int], Bench], later: Sequence[int] = ()
) -> TakenBack:
    """Take back everything that a run did. What is told of it includes what earlier tries had to tell. What
    it has in the attic goes too, but for what stays of use to the person. ``later`` are the runs after it
    that stand: what they did stays, and their records are made such that they can be undone as if this
    run had never been.
    """
    earlier = journal.notices(run)
    taken = [
        _all(kinds, journal, [entry], bench_of) for entry in _apart(kinds, journal, run, later, bench_of)
    ]
    if all(each.whole for each in taken):
        _close(kinds, journal, run, bench_of(run).locations)
    told = [notice for each in taken for notice in each.notices]
    notices = (*(notice for notice in earlier if notice not in told), *told)
    return TakenBack(tuple(change for each in taken for change in each.changes), notices)


def _apart(
    kinds: Kinds, journal: Journal, run: int, later: Sequence[int], bench_of: Callable[[int], Bench]
) -> Iterator[Entry]:
    """The changes of a run that are to be taken back, each after the records of later changes of the same
    thing no longer hang on it. One in whose place something later stands is only written down as taken back.
    """
    for entry in journal.entries(run):
        kind, record = kinds[entry.kind], record_of(kinds, entry)
        after = successors(kinds, journal, entry, record, later)
        for other, others in after[: 1 if kind.gives_way else None]:
            without = kind.without(record, others, bench_of(other.run).attic.keep)
            if without is not None:
                journal.noted(other.run, other.change, without, "done")
                _let_go(others, dict.fromkeys(without.attic_copies(), ""))
        if after and kind.gives_way:
            journal.taken_back(entry, (), {})
            _let_go(record, {})
        else:
            yield entry


def successors(
    kinds: Kinds, journal: Journal, entry: Entry, record: Record, later: Iterable[int]
) -> list[tuple[Entry, Record]]:
    """The changes of later runs that are of the same kind and of the same thing, the earliest first."""
    found = []
    for run in sorted(later):
        for other in reversed(journal.entries(run)):
            others = record_of(kinds, other) if other.kind == entry.kind else None
            if others is not None and record.places() and others.places() == record.places():
                found.append((other, others))
    return found


def _close(kinds: Kinds, journal: Journal, run: int, locations: Locations) -> None:
    """Write down that a run is taken back, after what it made on its way went."""
    for entry in journal.entries(run, taken_back=True):
        tidy(record_of(kinds, entry))
    _clear_attic(journal, run, locations)
    journal.unresolve(run)
    journal.run_taken_back(run)


def _clear_attic(journal: Journal, run: int, locations: Locations) -> None:
    """Remove what a run that was taken back has in the attic, but for the things that stay there."""
    folder = run_folder(locations.attic, run)
    if not folder.is_dir() or journal.entries(run):
        return
    things = {thing.kept for thing in journal.things()}
    for path in sorted(folder.iterdir()):
        # A copy that no change names was made for one that never began.
        if str(path) not in things and not any(Path(thing).is_relative_to(path) for thing in things):
            discard_any(path)
    remove_empty([str(folder)])


def _all(kinds: Kinds, journal: Journal, entries: list[Entry], bench_of: Callable[[int], Bench]) -> TakenBack:
    changes: list[ChangeReport] = []
    notices: list[str] = []
    for entry in entries:
        reverted = take_back_entry(kinds, journal, entry, bench_of(entry.run))
        notices += reverted.notices
        if reverted.whole:
            tidy(record_of(kinds, entry))
        outcome = "undone" if reverted.whole else "not undone"
        changes.append(ChangeReport(entry.kind, entry.subject, entry.action, "", outcome))
    return TakenBack(tuple(changes), tuple(notices))
