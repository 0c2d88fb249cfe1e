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
from zesty_anchor.operations.projects import projects as listed_projects
from zesty_anchor.operations.provision import provision
from zesty_anchor.planning.agreement import agree, is_own
from zesty_anchor.planning.choices import chooser
from zesty_anchor.planning.locking import Locker
from zesty_anchor.planning.look import look_at
from zesty_anchor.planning.newer import Affected, Beyond, Newer, wider
from zesty_anchor.planning.offers import Offers
from zesty_anchor.planning.projects import Project, pinning, projects
from zesty_anchor.planning.resolve import Asked, Resolver
from zesty_anchor.planning.uses import by_hand
from zesty_anchor.planning.workstation import Workstation


def upgradable(workstation: Workstation, person: Person, names: Sequence[str]) -> list[Newer]:
    """For each want of these runtimes (none named: of all) what is newer than the version that is installed.

    Raises ``UsageProblem`` for a runtime that the manifest does not have.
    """
    for name in names:
        workstation.check_runtime(name)
    return [row for row in newer(workstation, person) if row.version and (not names or row.runtime in names)]


def affected(workstation: Workstation, rows: Sequence[Newer]) -> list[Affected]:
    """What uses each version that moves: pins of remembered projects, packages that the person installed."""
    seen, found = projects(workstation, chooser(workstation, look_at(workstation))), []
    for row in rows:
        pins = tuple(pin.file for pin in pinning(seen, row.runtime, row.version))
        packages = tuple(package.text for package in by_hand(workstation, row.runtime, row.version))
        if row.newer and (pins or packages):
            found.append(Affected(row.runtime, row.version, pins, packages))
    return found


def beyond(workstation: Workstation, rows: Sequence[Newer]) -> list[Beyond]:
    """What another want would give, with the line to write, and where."""
    found = []
    for row in rows:
        if row.beyond:
            place = workstation.place(*workstation.manifest.wants(row.runtime)[row.want])
            line = wider(row.want, row.beyond)
            found.append(Beyond(row.runtime, row.want, row.beyond, line, workstation.locations.shown(place)))
    return found


def pinned_newer(workstation: Workstation, person: Person, names: Sequence[str]) -> list[Project]:
    """The remembered projects with a pin of these runtimes (none: of all) that admits a newer version."""
    found = []
    for each in listed_projects(workstation, person, newer=True):
        pins = tuple(pin for pin in each.pins if pin.newer and (not names or pin.runtime in names))
        if pins:
            found.append(msgspec.structs.replace(each, pins=pins))
    return found


def upgrade(
    workstation: Workstation, person: Person, rows: Sequence[Newer], pinned: Sequence[Project] = ()
) -> Outcome:
    """Install what is newer and make it what the wants mean, the lock included, and what pins of projects
    admit. The checks of these runtimes decide: where one fails, all of it is undone. Versions that were there
    stay installed.
    """
    moving = [row for row in rows if row.newer]
    pins = {(pin.runtime, pin.newer): pin for each in pinned for pin in each.pins}
    if not moving and not pins:
        return Outcome(())
    agreed(workstation, person)
    parts = [f"{row.runtime} {row.version} -> {row.newer}" for row in moving]
    parts += [f"{pin.runtime} {pin.newer} for {pin.file}" for pin in pins.values()]
    question = Question("upgrade", f"upgrade {', '.join(parts)}?", "--yes", safe=True)
    settle([question], person.asker, yes=person.yes)
    more = [Asked(pin.runtime, pin.newer, False, pin.file) for pin in pins.values()]
    names = list(dict.fromkeys((*(row.runtime for row in moving), *(name for name, _ in pins))))
    about = frozenset(command for name in names for command in workstation.recipes[name].commands)
    targets = {(row.runtime, row.want, row.feed): row.newer for row in moving}
    changed, first = workstation, list[Change]()
    if workstation.lock and moving:
        resolver = Resolver(workstation, Offers(workstation))
        entries = Locker(workstation, resolver).anew(
            look_at(workstation), (), list(dict.fromkeys(row.runtime for row in moving))
        )
        file = read_text_file(file_beside(workstation.file))
        text = text_of(entries, workstation.source.pins).encode()
        first = [WriteChoice(Edit(file, text), workstation.locations.shown(file.path))]
        changed = msgspec.structs.replace(
            workstation, lock={(each.runtime, each.want): each for each in entries}
        )
    outcome = provision(
        changed, person, more=more, first=first, is_agreed=True, about=about, targets=targets, whole=True
    )
    if outcome.well and first and not is_own(changed):
        agree(changed)  # the person asked for it here
    return outcome
