"""The work of a provisioning: all questions first, then the changes, while nobody else is at work in this
home.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from functools import partial

import msgspec

from zesty_anchor.changes.change import Change
from zesty_anchor.changes.kinds import KINDS
from zesty_anchor.engine.journal import Journal
from zesty_anchor.engine.outcome import ChangeReport, Outcome, TakenBack
from zesty_anchor.engine.questions import settle
from zesty_anchor.engine.run import Runner
from zesty_anchor.engine.undo import take_back_run
from zesty_anchor.manifest.toml_file import read_text
from zesty_anchor.operations.calling_shell import line_for_this_shell
from zesty_anchor.operations.in_step import bring_choices_in_step
from zesty_anchor.operations.person import Person
from zesty_anchor.operations.program_step import note_program
from zesty_anchor.operations.running import Granted, ask, bench_of, journal_alone, one_run, recovered
from zesty_anchor.operations.stages import Stages
from zesty_anchor.planning.look import look_at
from zesty_anchor.planning.offers import Offers
from zesty_anchor.planning.plan import Plan
from zesty_anchor.planning.planner import Planner
from zesty_anchor.planning.promised import promised
from zesty_anchor.planning.workstation import Workstation, with_manifest
from zesty_anchor.survey.machine import Machine
from zesty_anchor.survey.resolved import describe_changes, resolved
from zesty_anchor.system.privilege import NO_ACCESS


class Work:
    """One provisioning that has something to do. ``first`` are changes that come before all others: see
    ``provision``. ``planning`` gives a planner for a workstation whose manifest is another one than was
    thought. With ``prove`` there may be nothing to do but to ask new shells. ``about`` are the commands
    that it is done for: see ``Outcome``. With ``whole`` a run that does not end well is taken back.
    """

    def __init__(
        self,
        workstation: Workstation,
        person: Person,
        planner: Planner,
        offers: Offers,
        first: tuple[Change, ...],
        planning: Callable[[Workstation], tuple[Planner, Offers]],
        *,
        prove: bool = False,
        about: frozenset[str] | None = None,
        whole: bool = False,
    ) -> None:
        self._whole = whole
        self._about = about
        self._planning = planning
        self._prove = prove
        self._workstation = workstation
        self._person = person
        self._planner = planner
        self._offers = offers
        self._first = first
        self._answers: dict[str, str] = {}

    def carry_out(self, plan: Plan, machine: Machine) -> Outcome:
        """Ask, make the changes, and prove them. Raises ``Problem`` where nothing could be begun."""
        known = self._workstation.past.resolutions
        about_conflicts = [question for question in plan.questions if question.optional]
        if about_conflicts and self._person.asker is not None:
            self._answers = settle(about_conflicts, self._person.asker, yes=self._person.yes)
            plan = self._planner.plan(machine, known, self._answers)
        given = self._planner.access or NO_ACCESS
        granted = ask(self._person, self._workstation, given, plan.questions, plan.changes)
        self._planner.access = granted.hands.access if self._planner.access is not None else None
        with journal_alone(self._person, self._workstation, granted) as journal:
            taken = recovered(journal, self._person, self._workstation, granted)
            if taken.changes and not self._first:
                self._read_anew()
            resolved = journal.resolutions()
            others = journal.last_run() != self._workstation.past.last_run or bool(journal.to_report)
            if taken.changes or resolved != known or plan.questions or about_conflicts or others:
                # Something has changed since the first look, or a person took their time to answer.
                machine = look_at(self._workstation)
                plan = self._planner.plan(machine, resolved, self._answers)
            outcome = (
                self._run(granted, journal, plan, machine)
                if plan.changes or self._first or self._prove
                else Outcome(())
            )
        return msgspec.structs.replace(outcome, notices=(*taken.notices, *outcome.notices))

    def _read_anew(self) -> None:
        """What was taken back may have been an edit of the manifest."""
        workstation = self._workstation
        text = read_text(workstation.file)
        if text == workstation.source.layers[-1].text:
            return
        self._workstation = with_manifest(workstation, workstation.file, text)
        access = self._planner.access
        self._planner, self._offers = self._planning(self._workstation)
        self._planner.access = access

    def _run(self, granted: Granted, journal: Journal, plan: Plan, machine: Machine) -> Outcome:
        before, began = resolved(self._workstation.locations), time.monotonic()
        with one_run(journal, self._person, self._workstation, granted, self._offers) as runner:
            done = tuple(runner.stage(self._first))
            if not all(each.well for each in done):
                return Outcome(done, notices=tuple(runner.notices), seconds=time.monotonic() - began)
            if touched := {fact for change in self._first for fact in change.touches}:
                machine = machine.again(touched)
                plan = self._planner.plan(machine, journal.resolutions(), self._answers)
            stages = Stages(
                self._planner,
                runner,
                journal,
                self._person,
                self._answers,
                lambda machine: bring_choices_in_step(self._with(journal), machine),
                lands=not self._whole,
                offline=self._workstation.offline,
            )
            try:
                outcome = msgspec.structs.replace(stages.carry_out(plan, machine), about=self._about)
                note_program(self._workstation)
                if outcome.proof is not None:
                    journal.proved(runner.run, outcome.proof.told)
                    here = self._workstation
                    words = promised(here.manifest, stages.wanted, here.source.bases)
                    journal.promised(runner.run, msgspec.json.encode(words).decode())
            except BaseException:
                if self._whole:
                    self._take_back(runner, journal, granted)
                bring_choices_in_step(self._with(journal), look_at(self._workstation))
                raise
            if not self._whole:
                outcome = msgspec.structs.replace(outcome, changes=(*done, *outcome.changes))
            undone: tuple[ChangeReport, ...] = ()
            if self._whole and not outcome.well:
                taken = self._take_back(runner, journal, granted)
                undone = tuple(
                    msgspec.structs.replace(each, outcome="undone") if each.outcome == "done" else each
                    for each in (*done, *outcome.changes)
                )
                notices = (
                    *outcome.notices,
                    *taken.notices,
                    f"all of this run was undone, because {_why(outcome)}",
                )
                outcome = msgspec.structs.replace(outcome, changes=undone, notices=notices)
        seconds = time.monotonic() - began
        proved = outcome.proof is not None
        locations = self._workstation.locations
        changed = describe_changes(before, resolved(locations), locations) if stages.shells_changed else ()
        return msgspec.structs.replace(
            outcome,
            seconds=seconds,
            notices=(*outcome.notices, *(plan.notices if proved else ()), *changed),
            reload=line_for_this_shell(self._workstation)
            if stages.shells_changed and proved and not undone
            else "",
        )

    def _with(self, journal: Journal) -> Workstation:
        """The workstation with what wants mean by now."""
        known = msgspec.structs.replace(self._workstation.past, resolutions=journal.resolutions())
        return msgspec.structs.replace(self._workstation, past=known)

    def _take_back(self, runner: Runner, journal: Journal, granted: Granted) -> TakenBack:
        """Take back all that the run did so far, the change of the manifest too."""
        bench = partial(
            bench_of, journal=journal, person=self._person, workstation=self._workstation, granted=granted
        )
        return take_back_run(KINDS, journal, runner.run, bench)


def _why(outcome: Outcome) -> str:
    """The reason why an outcome is not well, in a few words. Pure."""
    failed = next((change for change in outcome.changes if change.outcome == "failed"), None)
    if failed is not None:
        return f"{failed.action} {failed.subject} failed: {failed.problem}"
    if outcome.proof is None:
        waiting = next((change for change in outcome.changes if not change.well), None)
        return f"{waiting.subject} was not begun: {waiting.problem}" if waiting else "not all was done"
    failing = outcome.proof.failures if outcome.about is None else outcome.proof.failing(outcome.about)
    if not failing:
        return "not all was done"
    result, check = failing[0]
    return f"{check.name!r} failed in {result.shell}: {check.observed}"
