"""Taking back: the last provisioning, another one, or all of them."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from functools import partial
from pathlib import Path

import msgspec

from zesty_anchor.changes.kinds import KINDS
from zesty_anchor.changes.question import Question
from zesty_anchor.engine.journal import Journal
from zesty_anchor.engine.needs import needed_by
from zesty_anchor.engine.opening import read_journal
from zesty_anchor.engine.outcome import RunDone, TakenBack
from zesty_anchor.engine.questions import settle
from zesty_anchor.engine.undo import record_of, take_back_run
from zesty_anchor.files import cache_homes, own_folders
from zesty_anchor.files.folders import remove_empty
from zesty_anchor.manifest.model import SYSTEM
from zesty_anchor.operations import greeting
from zesty_anchor.operations.attic import bring_home
from zesty_anchor.operations.left_behind import remove_rest
from zesty_anchor.operations.person import Person
from zesty_anchor.operations.running import ask_to_take_back, bench_of, journal_alone, recovered
from zesty_anchor.planning.promised import by_run, read
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.shelf import stable
from zesty_anchor.shelf.kept_builds import KeptBuilds
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system.locations import Locations
from zesty_anchor.system.problem import Problem, UsageProblem

MOST = 20
"""How many runs can be named to be taken back."""


class NothingLeft(Problem):
    """Nothing is left that could be taken back."""

    def __init__(self, advice: str) -> None:
        super().__init__("there is nothing to undo", advice=advice)


class Dismantled(msgspec.Struct, frozen=True):
    """What was taken back, the folders that were removed, and where what was still in the attic is now
    (empty: nothing was).
    """

    taken: TakenBack
    removed: tuple[str, ...]
    kept: str = ""


def undo(workstation: Workstation, person: Person, run: int | None = None) -> TakenBack:
    """Take the last provisioning back, or the one of that number. Raises ``NothingLeft`` where there is none,
    ``Problem`` where a later one needs what it did.
    """
    with read_journal(workstation.locations, KINDS) as journal:
        if not journal.standing_runs() and not journal.unfinished():
            raise NothingLeft("every run in this home was undone already, or there was none")
    with journal_alone(person, workstation) as journal:
        standing = journal.standing_runs()
        if run is not None and run not in standing[:MOST]:
            numbers = ", ".join(map(str, standing[:MOST])) or "none"
            raise UsageProblem(
                f"there is no run {run} to undo",
                advice=f"zesty-anchor undo --list; there are: {numbers}",
            )
        runs = standing[:1] if run is None else [run]
        later = [each for each in standing if run is not None and each > run]
        if run is not None:
            _refuse_needed(journal, run, later)
        taken = _take_back(journal, workstation, person, runs, later)
        taken = msgspec.structs.replace(taken, notices=(*taken.notices, *_gone(journal, workstation)))
        kept = KeptBuilds(workstation.locations.builds).size() if not journal.standing_runs() else 0
    if not kept:
        return taken
    where = workstation.locations.shown(workstation.locations.builds)
    told = (
        f"what was built is kept, so that it need not be built again: {where}, {kept / 1e6:.1f} MB; dismantle"
        " removes it"
    )
    return msgspec.structs.replace(taken, notices=(*taken.notices, told))


def _gone(journal: Journal, workstation: Workstation) -> Iterator[str]:
    """The default versions of the run that stands now which are not installed any more, a sentence each."""
    for name, version in read(journal.last_promised()).get("version", {}).items():
        if version != SYSTEM and not (workstation.locations.shelf / name / version).exists():
            yield f"{name} {version} is the default again, and not installed: run zesty-anchor provision"


def runs(workstation: Workstation) -> list[RunDone]:
    """The runs that can be undone, the latest first."""
    with read_journal(workstation.locations, KINDS) as journal:
        told = by_run(journal.promises())
        return [
            RunDone(
                run,
                journal.began(run),
                [f"{e.action} {e.subject}" for e in reversed(journal.entries(run))],
                told.get(run, ()),
            )
            for run in journal.standing_runs()[:MOST]
        ]


def _refuse_needed(journal: Journal, run: int, later: list[int]) -> None:
    """Raises ``Problem`` where a later run needs what this one did."""
    for need in needed_by(KINDS, journal, run, later):
        raise Problem(
            f"run {run} cannot be undone alone: {need.what}",
            where=f"run {need.run}: {need.subject}",
            advice=f"undo that first: zesty-anchor undo --run {need.run}",
        )


def dismantle(workstation: Workstation, person: Person) -> Dismantled:
    """Take back every provisioning, the latest first, then remove this program's own folders.

    The folder of the configuration stays where it holds something: the person wrote it. What is still in the
    attic, or on the shelf and not ours, comes into a folder in the home first. Where something could not be
    taken back, our folders stay: another try needs them. A cache that another home has too stays.
    """
    question = Question(
        "dismantle", "take back everything that zesty-anchor did in this home?", "--yes", safe=True
    )
    settle([question], person.asker, yes=person.yes)
    locations = workstation.locations
    with journal_alone(person, workstation) as journal:
        taken = _take_back(journal, workstation, person, journal.standing_runs())
        shared = cache_homes.others(locations)
        own = [] if shared else [locations.answers, locations.pins, locations.cache]
        kept = None
        if taken.whole:
            kept, moved = bring_home(journal, locations)
            taken = _renamed(taken, moved, locations)
            own += [locations.data]
        last = [locations.state] if taken.whole else []
        removed = tuple(locations.shown(folder) for folder in (*own, *last) if folder.exists())
        made = _made(journal) if taken.whole else set()
        told = own_folders.remove(*([] if shared else [locations.builds]), *own)
        remove_empty(made)  # ours may have been a link: then what is around it could not go before
        told += own_folders.remove(*last)
        taken = msgspec.structs.replace(taken, notices=(*taken.notices, *told))
    if shared:
        left = (
            f"{locations.cache} stays: {', '.join(map(str, shared))} has it too, and dismantle takes it away"
            " there"
        )
        taken = msgspec.structs.replace(taken, notices=(*taken.notices, left))
    return Dismantled(taken, removed, locations.shown(kept) if kept is not None else "")


def _made(journal: Journal) -> set[str]:
    """The folders that all runs made on their way."""
    runs = journal.runs_over()
    return {
        path
        for run in runs
        for e in journal.entries(run, taken_back=True)
        for path in record_of(KINDS, e).made
    }


def _renamed(taken: TakenBack, moved: Mapping[Path, Path], locations: Locations) -> TakenBack:
    """Replace the old places of moved things in the notices by the new ones."""
    names = {
        name: locations.shown(new) for old, new in moved.items() for name in (str(old), locations.shown(old))
    }
    if not names:
        return taken
    longest_first = "|".join(re.escape(name) for name in sorted(names, key=len, reverse=True))
    pattern = re.compile(rf"({longest_first})(?![^\s;,:)])")
    notices = tuple(pattern.sub(lambda found: names[found[1]], each) for each in taken.notices)
    return msgspec.structs.replace(taken, notices=notices)


def _take_back(
    journal: Journal,
    workstation: Workstation,
    person: Person,
    runs: list[int],
    later: list[int] | None = None,
) -> TakenBack:
    entries = [*journal.unfinished(), *(entry for run in runs for entry in journal.entries(run))]
    granted = ask_to_take_back(person, workstation, entries)
    with granted.hands.kept_alive():
        bench = partial(bench_of, journal=journal, person=person, workstation=workstation, granted=granted)
        taken = [recovered(journal, person, workstation, granted)]
        for run in runs:
            taken.append(take_back_run(KINDS, journal, run, bench, later or ()))
        notices = [notice for each in taken for notice in each.notices]
        if not journal.standing_runs() and runs:
            machine = Machine(workstation.locations, workstation.environ)
            notices += remove_rest(machine, bench(runs[0]).attic)
    here = workstation.locations
    promised = read(journal.last_promised()).get("version", {}) if journal.standing_runs() else {}
    stable.keep_in_step(here.stable, here.shelf, promised)
    greeting.forget(here)
    if not journal.standing_runs():
        if not cache_homes.others(workstation.locations):
            own_folders.remove(workstation.locations.answers, workstation.locations.pins)
        cache_homes.leave(workstation.locations)
    return TakenBack(tuple(change for each in taken for change in each.changes), tuple(notices))
