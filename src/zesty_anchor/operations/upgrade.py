"""Moving to newer versions within the wants, as one run: all of it or nothing."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec

from zesty_anchor.changes.change import Change
from zesty_anchor.changes.person.choice import WriteChoice
from zesty_anchor.changes.question import Question
from zesty_anchor.engine.outcome import Outcome
from zesty_anchor.engine.questions import settle
from zesty_anchor.files.edit import Edit
from zesty_anchor.files.text_file import read_text_file
from zesty_anchor.manifest.lock import file_beside, text_of
from zesty_anchor.operations.agreed import agreed
from zesty_anchor.operations.list import newer
from zesty_anchor.operations.person import Person
from zesty_anchor.operations.provision import provision
from zesty_anchor.planning.agreement import agree, is_own
from zesty_anchor.planning.locking import Locker
from zesty_anchor.planning.look import look_at
from zesty_anchor.planning.newer import Newer
from zesty_anchor.planning.offers import Offers
from zesty_anchor.planning.resolve import Resolver
from zesty_anchor.planning.workstation import Workstation


def upgradable(workstation: Workstation, person: Person, names: Sequence[str]) -> list[Newer]:
    """For each want of these runtimes (none named: of all) what is newer than the version that is installed.

    Raises ``UsageProblem`` for a runtime that the manifest does not have.
    """
    for name in names:
        workstation.check_runtime(name)
    return [row for row in newer(workstation, person) if row.version and (not names or row.runtime in names)]


def upgrade(workstation: Workstation, person: Person, rows: Sequence[Newer]) -> Outcome:
    """Install what is newer and make it what the wants mean, the lock included. The checks of these runtimes
    decide: where one fails, all of it is undone. Versions that were there stay installed.
    """
    moving = [row for row in rows if row.newer]
    if not moving:
        return Outcome(())
    agreed(workstation, person)
    shown = ", ".join(f"{row.runtime} {row.version} -> {row.newer}" for row in moving)
    settle([Question("upgrade", f"upgrade {shown}?", "--yes", safe=True)], person.asker, yes=person.yes)
    names = list(dict.fromkeys(row.runtime for row in moving))
    about = frozenset(command for name in names for command in workstation.recipes[name].commands)
    targets = {(row.runtime, row.want, row.feed): row.newer for row in moving}
    changed, first = workstation, list[Change]()
    if workstation.lock:
        resolver = Resolver(workstation, Offers(workstation))
        entries = Locker(workstation, resolver).anew(look_at(workstation), (), names)
        file = read_text_file(file_beside(workstation.file))
        first = [WriteChoice(Edit(file, text_of(entries).encode()), workstation.locations.shown(file.path))]
        changed = msgspec.structs.replace(
            workstation, lock={(each.runtime, each.want): each for each in entries}
        )
    outcome = provision(changed, person, more=(), first=first, is_agreed=True, about=about, targets=targets)
    if outcome.well and first and not is_own(changed):
        agree(changed)  # the person asked for it here
    return outcome
