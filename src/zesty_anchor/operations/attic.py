"""Looking into the attic, and emptying it."""

from __future__ import annotations

from zesty_anchor.changes.kept import Kept, kept_by, throw_away
from zesty_anchor.changes.kinds import KINDS
from zesty_anchor.changes.question import Question
from zesty_anchor.engine.journal import Journal, alone
from zesty_anchor.engine.questions import settle
from zesty_anchor.engine.undo import record_of
from zesty_anchor.operations.person import Person
from zesty_anchor.planning.workstation import Workstation


def kept(workstation: Workstation) -> list[Kept]:
    """What is in the attic, the latest first."""
    if not workstation.locations.journal.is_file():
        return []
    with Journal(workstation.locations.journal) as journal:
        return [
            each
            for run in journal.standing_runs()
            for entry in journal.entries(run)
            for each in kept_by(record_of(KINDS, entry), journal.began(run))
        ]


def empty_attic(workstation: Workstation, person: Person) -> list[Kept]:
    """Throw away what is in it, after a yes. What undo needs to put lines back stays: it is not listed."""
    things = kept(workstation)
    if things:
        names = ", ".join(workstation.locations.shown(each.was) for each in things)
        text = f"throw away for good what is in the attic ({names})? undo cannot bring it back then"
        settle([Question("attic", text, "--yes", safe=True)], person.asker, yes=person.yes)
        with alone(workstation.locations.state):
            for each in things:
                throw_away(each)
    return things
