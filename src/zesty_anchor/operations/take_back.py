"""Taking back: the last provisioning, or all of them."""

from __future__ import annotations

from collections.abc import Callable

from zesty_anchor.changes.kinds import KINDS
from zesty_anchor.changes.question import Question
from zesty_anchor.engine.outcome import TakenBack
from zesty_anchor.engine.questions import settle
from zesty_anchor.engine.undo import attic_of, recover, take_back_run
from zesty_anchor.files import own_folders
from zesty_anchor.operations.person import Person
from zesty_anchor.operations.running import ask_to_take_back, bench_at, journal_alone
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.system.problem import Problem


class NothingLeft(Problem):
    """Nothing is left that could be taken back."""

    def __init__(self, advice: str) -> None:
        super().__init__("there is no provisioning to take back", advice=advice)


def undo(workstation: Workstation, person: Person) -> TakenBack:
    """Take the last provisioning back. Raises ``NothingLeft`` where there is none."""
    return _take_back(workstation, person, lambda runs: runs[:1])


def dismantle(workstation: Workstation, person: Person) -> tuple[TakenBack, list[str]]:
    """Take back every provisioning, the latest first, then remove this program's own folders.

    The folder of the configuration stays where it holds something: the person wrote it. Where something
    could not be put back, the attic stays too, and the notices say so. Returns what was taken back, and the
    folders that were removed.
    """
    question = Question("dismantle", "take back everything that zesty-anchor did in this home?", "--yes", safe=True)
    settle([question], person.asker, yes=person.yes)
    try:
        taken = _take_back(workstation, person, lambda runs: runs)
    except NothingLeft:
        taken = TakenBack(())
    locations = workstation.locations
    own = [locations.answers, locations.pins, locations.cache, locations.data]
    if taken.whole and not taken.notices:
        own.append(locations.state)
    removed = [locations.shown(folder) for folder in own if folder.exists()]
    own_folders.remove(*own)
    return taken, removed


def _take_back(workstation: Workstation, person: Person, which: Callable[[list[int]], list[int]]) -> TakenBack:
    if not workstation.locations.journal.is_file():
        raise NothingLeft("nothing was done in this home")
    with journal_alone(workstation) as journal:
        runs = which(journal.standing_runs())
        entries = [*journal.unfinished(), *(entry for run in runs for entry in journal.entries(run))]
        if not runs and not entries:
            raise NothingLeft("all of them were taken back already")
        granted = ask_to_take_back(person, workstation, entries)
        with granted.hands.kept_alive():
            taken = [recover(KINDS, journal, bench_at(workstation.locations.attic, person, workstation, granted))]
            for run in runs:
                bench = bench_at(attic_of(run, workstation.locations), person, workstation, granted)
                taken.append(take_back_run(KINDS, journal, run, bench))
        if not journal.standing_runs():
            own_folders.remove(workstation.locations.answers, workstation.locations.pins)
    return TakenBack(
        tuple(change for each in taken for change in each.changes),
        tuple(notice for each in taken for notice in each.notices),
    )
