"""Making the machine as the manifest says, and proving it."""

from __future__ import annotations

import time
from collections.abc import Sequence
from typing import TYPE_CHECKING

import msgspec

from zesty_anchor.changes.kinds import KINDS
from zesty_anchor.engine.home_identity import moved_from
from zesty_anchor.engine.opening import past
from zesty_anchor.engine.outcome import Outcome
from zesty_anchor.operations.agreed import agreed
from zesty_anchor.operations.greeting import greet
from zesty_anchor.operations.in_step import bring_answers_in_step, bring_in_step
from zesty_anchor.operations.person import Person, finder
from zesty_anchor.operations.reproducible import clamp_times, latest_time
from zesty_anchor.planning.choices import wanted_by_project
from zesty_anchor.planning.look import look_at
from zesty_anchor.planning.offers import Offers
from zesty_anchor.planning.planner import Planner
from zesty_anchor.planning.resolve import Asked
from zesty_anchor.planning.standing import Known
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.proof.conditions import still_hold
from zesty_anchor.proof.proved import read

if TYPE_CHECKING:
    from zesty_anchor.changes.change import Change


def provision(
    workstation: Workstation,
    person: Person,
    *,
    more: Sequence[Asked] | None = None,
    first: Sequence[Change] = (),
    deep: bool = False,
    is_agreed: bool = False,
    about: frozenset[str] | None = None,
    targets: Known | None = None,
    whole: bool = False,
) -> Outcome:
    """Make the machine as the manifest says, and prove it.

    ``more`` are wants beside the manifest's; None means what the project in this folder wants. ``first``
    are changes that come before all others, such as one of the manifest itself, and belong to the same
    run. With ``whole`` a run that does not end well is undone. ``deep`` has each file of each version
    read, to tell whether it is as it was put there. ``is_agreed`` means that the person was asked about
    the manifest already. ``about`` are the commands that it is done for (None: all): see ``Outcome``.
    ``targets`` are versions that wants are to mean from now on, in place of what they meant before.
    Raises ``Problem`` where nothing could be begun; what fails later is told in the outcome.
    """
    began, latest = time.monotonic(), latest_time(workstation.environ)
    if not is_agreed:
        agreed(workstation, person)
    followed: tuple[str, ...] = ()
    if moved_from(workstation.past.home, workstation.locations):
        from zesty_anchor.operations.running import follow_first

        followed = follow_first(workstation, person)
    machine = look_at(workstation)

    def planning(workstation: Workstation) -> tuple[Planner, Offers]:
        offers = Offers(workstation)
        wants = tuple(more) if more is not None else wanted_by_project(workstation, machine, offers)
        return Planner(
            workstation,
            KINDS.concerned,
            offers,
            finder(person, workstation.environ),
            wants,
            deep=deep,
            targets=targets,
        ), offers

    planner, offers = planning(workstation)
    plan = planner.plan(machine, workstation.past.resolutions)
    if plan.changes and not first:
        from zesty_anchor.operations.program_step import renewed

        if renewed(workstation, person, plan):
            machine = look_at(workstation)
            plan = planner.plan(machine, workstation.past.resolutions)
    unproved = not plan.changes and not still_hold(
        read(workstation.locations.state).conditions, plan.wanted, machine
    )
    if plan.changes or first or workstation.past.cut_off or unproved:
        # Fetched only now: where there is nothing to do, which is most of the time, that is all there is to
        # wait for.
        from zesty_anchor.operations.work import Work

        if plan.changes:
            from zesty_anchor.operations.obstacles import check_obstacles

            check_obstacles(workstation, plan)
        outcome = Work(
            workstation,
            person,
            planner,
            offers,
            tuple(first),
            planning,
            prove=unproved,
            about=about,
            whole=whole,
        ).carry_out(plan, machine)
        # What wants mean may be another version by now.
        after = msgspec.structs.replace(workstation, past=past(workstation.locations, lambda: KINDS))
        bring_in_step(after, look_at(after))
        greet(after, outcome)
        clamp_times(workstation.locations.data, latest)
    else:
        # The plan has compared the launchers already.
        outcome = Outcome((), notices=plan.notices)
        bring_answers_in_step(workstation, machine)
    notices = (*followed, *outcome.notices)
    return msgspec.structs.replace(
        outcome, notices=notices, seconds=outcome.seconds or time.monotonic() - began
    )
