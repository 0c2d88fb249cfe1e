"""Taking changes back, the latest first."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable, Iterator, Mapping
from pathlib import Path

import msgspec

from zesty_anchor.changes.bench import Bench
from zesty_anchor.changes.change import Kinds
from zesty_anchor.changes.record import FileRecord, Record, Reverted
from zesty_anchor.engine.journal import Entry, Journal
from zesty_anchor.engine.outcome import ChangeReport, TakenBack
from zesty_anchor.engine.twin import run_folder
from zesty_anchor.files.edit import reversal
from zesty_anchor.files.folders import remove_empty
from zesty_anchor.files.removal import discard_any
from zesty_anchor.files.replace import content_of
from zesty_anchor.system.locations import Locations
from zesty_anchor.system.problem import Problem


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
    """Take one change back; where that was whole, write it down, with what a person should know and what stays in the attic.

    The folders that it made on its way are left to ``tidy``: others may be at work in them.
    """
    record = record_of(kinds, entry)
    try:
        reverted = kinds[entry.kind].take_back(record, bench)
    except (Problem, OSError) as error:
        what = error if isinstance(error, Problem) else f"{error.strerror or error} ({error.filename or entry.subject})"
        return Reverted((f"{entry.action} {entry.subject} could not be taken back: {what}",), whole=False)
    if reverted.whole:
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


def recover(kinds: Kinds, journal: Journal, bench_of: Callable[[int], Bench]) -> TakenBack:
    """Take back the changes that an earlier run was cut off in, and clear what others left. ``bench_of`` gives what changes
    of a run work with.
    """
    for run in journal.runs_over():
        clear_attic(kinds, journal, run, bench_of(run).locations)
    return _all(kinds, journal, journal.unfinished(), bench_of)


def take_back_run(kinds: Kinds, journal: Journal, run: int, bench: Bench) -> TakenBack:
    """Take back everything that a run did. What is told of it includes what earlier tries had to tell. What it has in the
    attic goes too, but for what stays of use to the person.
    """
    earlier = journal.notices(run)
    taken = _all(kinds, journal, journal.entries(run), lambda run: bench)
    if taken.whole:
        journal.run_taken_back(run)
        clear_attic(kinds, journal, run, bench.locations)
    notices = (*(notice for notice in earlier if notice not in taken.notices), *taken.notices)
    return TakenBack(taken.changes, notices)


class Need(msgspec.Struct, frozen=True):
    """Why one run cannot be taken back alone: the later ``run`` and its change ``subject`` that needs it, and ``what`` it needs."""

    run: int
    subject: str
    what: str


def needed_by(kinds: Kinds, journal: Journal, runs: Iterable[int], later: Iterable[int]) -> Iterator[Need]:
    """What changes of ``later`` runs need of those that are to be taken back, the earliest run first."""
    changes = [(entry, record_of(kinds, entry)) for run in runs for entry in journal.entries(run)]
    for run in sorted(later):
        for entry in reversed(journal.entries(run)):
            record = record_of(kinds, entry)
            for earlier, made in changes:
                what = _needs(entry, record, earlier, made)
                if what:
                    yield Need(run, f"{entry.action} {entry.subject}", what)


def _needs(entry: Entry, record: Record, earlier: Entry, made: Record) -> str:
    """What a change needs of an earlier one; empty where it can do without it."""
    if isinstance(made, FileRecord):
        if isinstance(record, FileRecord) and record.path == made.path:
            if made.before is None:
                return f"{made.name} was made in it, and changed since"
            return _apart(made)
        # A startup file reads what is generated.
        reads = earlier.kind == "startup-file" and entry.kind in ("generated-file", "launchers")
        return f"its line in {made.name} is what reads the rest" if reads else ""
    around = [place for place in made.places() if any(_is_in(inner, place) for inner in record.places())]
    if around:
        return f"{earlier.subject} came with it"
    named = entry.kind == "generated-file" and any(_names(record, place) for place in made.places())
    return f"{earlier.subject} came with it, and is what the shells use since" if named else ""


def _apart(made: FileRecord) -> str:
    """Why an edit cannot be taken out of a file that was edited again; empty where it can."""
    try:
        found = reversal(made.kept)
    except Problem as problem:
        return problem.what
    return "" if found.needed or not found.told else f"{made.name} was changed in the same lines since"


def _is_in(inner: str, outer: str) -> bool:
    return inner == outer or inner.startswith(outer + "/")


def _names(record: Record, place: str) -> bool:
    """Whether a generated file has a version by default: it names the runtime and the version one after the other."""
    if not isinstance(record, FileRecord) or record.after is None:
        return False
    runtime, version = place.rsplit("/", 2)[-2:]
    words = (content_of(Path(record.after)) or b"").decode("utf-8", "replace")
    return f"{runtime}={version}" in words or f"{runtime}/{version}" in words


def clear_attic(kinds: Kinds, journal: Journal, run: int, locations: Locations) -> None:
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
        outcome = "taken back" if reverted.whole else "not taken back"
        changes.append(ChangeReport(entry.kind, entry.subject, entry.action, "", outcome))
    return TakenBack(tuple(changes), tuple(notices))
