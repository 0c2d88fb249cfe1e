"""Making the machine as the manifest says, and proving it."""

from __future__ import annotations

import time
from collections.abc import Sequence

import msgspec

from zesty_anchor.changes.change import Change
from zesty_anchor.changes.kinds import KINDS
from zesty_anchor.engine.journal import Journal
from zesty_anchor.engine.outcome import Outcome, TakenBack
from zesty_anchor.engine.questions import settle
from zesty_anchor.engine.run import Runner
from zesty_anchor.engine.undo import recover, take_back_run
from zesty_anchor.operations.in_step import bring_in_step, line_for_this_shell
from zesty_anchor.operations.person import Person
from zesty_anchor.operations.running import Granted, ask, bench_at, finder, journal_alone, one_run
from zesty_anchor.operations.stages import Stages
from zesty_anchor.planning.choices import wanted_by_project
from zesty_anchor.planning.look import look_at
from zesty_anchor.planning.offers import Offers
from zesty_anchor.planning.plan import Plan
from zesty_anchor.planning.planner import Planner
from zesty_anchor.planning.resolve import Asked
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system.privilege import NO_ACCESS


def provision(
    workstation: Workstation,
    person: Person,
    *,
    more: Sequence[Asked] | None = None,
    first: Sequence[Change] = (),
) -> Outcome:
    """Make the machine as the manifest says, and prove it.

    ``more`` are wants beside the manifest's; None means what the project in this folder wants. ``first`` are changes of the
    manifest itself, which belong to the same run: where it does not end well, all of the run is taken back.
    Raises ``Problem`` where nothing could be begun; what fails later is told in the outcome.
    """
    began = time.monotonic()
    machine, offers = look_at(workstation), Offers(workstation)
    wants = tuple(more) if more is not None else wanted_by_project(workstation, machine, offers)
    planner = Planner(workstation, KINDS, offers, finder(person, workstation), wants)
    plan = planner.plan(machine, workstation.past.resolutions)
    if not plan.changes and not first and not workstation.past.cut_off:
        bring_in_step(workstation, machine)
        return Outcome((), notices=plan.notices, seconds=time.monotonic() - began)
    answers: dict[str, str] = {}
    about_conflicts = [question for question in plan.questions if question.optional]
    if about_conflicts and person.asker is not None:
        answers = settle(about_conflicts, person.asker, yes=person.yes)
        plan = planner.plan(machine, workstation.past.resolutions, answers)
    granted = ask(person, workstation, planner.access or NO_ACCESS, plan.questions, plan.changes)
    planner.access = granted.hands.access if planner.access is not None else None
    with journal_alone(workstation, granted) as journal:
        outcome = _work(workstation, person, granted, planner, offers, journal, plan, machine, answers, first)
    bring_in_step(workstation, look_at(workstation))
    return msgspec.structs.replace(outcome, seconds=time.monotonic() - began)


def _work(
    workstation: Workstation,
    person: Person,
    granted: Granted,
    planner: Planner,
    offers: Offers,
    journal: Journal,
    plan: Plan,
    machine: Machine,
    answers: dict[str, str],
    first: Sequence[Change],
) -> Outcome:
    """The part of it during which nobody else is at work in this home."""
    recovered = recover(KINDS, journal, bench_at(workstation.locations.attic, person, workstation, granted))
    for change in recovered.changes:
        person.reporter.said(f"an earlier run was cut off: took back {change.action} {change.subject}")
    known = journal.resolutions()
    if recovered.changes or known != workstation.past.resolutions or person.asker is not None:
        # Time has passed since the first look, or more than time.
        machine = look_at(workstation)
        plan = planner.plan(machine, known, answers)
    if not plan.changes and not first:
        return Outcome((), notices=recovered.notices)
    with one_run(journal, person, workstation, granted, offers) as runner:
        done = runner.stage(first)
        if any(each.outcome != "done" for each in done):
            return Outcome(tuple(done), notices=(*recovered.notices, *runner.notices))
        stages = Stages(planner, runner, journal, person, answers)
        try:
            outcome = stages.carry_out(plan, machine)
        except BaseException:
            if first:
                _take_back(runner, journal, person, workstation, granted)
            raise
        if first and not outcome.well:
            taken = _take_back(runner, journal, person, workstation, granted)
            undone = tuple(
                msgspec.structs.replace(each, outcome="taken back") if each.outcome == "done" else each
                for each in (*done, *outcome.changes)
            )
            outcome = msgspec.structs.replace(outcome, changes=undone, notices=(*outcome.notices, *taken.notices))
    notices = (*recovered.notices, *outcome.notices, *(plan.notices if outcome.proof else ()))
    reload = line_for_this_shell(workstation) if stages.shells_changed and outcome.proof else ""
    return msgspec.structs.replace(outcome, notices=notices, reload=reload)


def _take_back(
    runner: Runner, journal: Journal, person: Person, workstation: Workstation, granted: Granted
) -> TakenBack:
    """Take back all that a run did so far, the change of the manifest too."""
    bench = bench_at(runner.attic, person, workstation, granted)
    return take_back_run(KINDS, journal, runner.run, bench)
