"""The loop of a provisioning: plan, carry out the first stage of the plan, plan again with what is known
now.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from functools import partial
from pathlib import Path

from zesty_anchor.changes.change import Change, Stage
from zesty_anchor.engine.journal import Journal
from zesty_anchor.engine.outcome import ChangeReport, Outcome, waits
from zesty_anchor.engine.questions import estimate
from zesty_anchor.engine.run import Runner
from zesty_anchor.manifest.wanted import Wanted
from zesty_anchor.operations.person import Person
from zesty_anchor.planning.plan import Plan
from zesty_anchor.planning.planner import Planner
from zesty_anchor.proof import proved
from zesty_anchor.proof.baseline import kept, notices_of, with_baseline
from zesty_anchor.proof.causes import explained, lines_outdone
from zesty_anchor.proof.checks import fetches
from zesty_anchor.proof.conditions import conditions_proved
from zesty_anchor.proof.fixes import with_fixes
from zesty_anchor.proof.prove import Asking, prove
from zesty_anchor.proof.result import Proof
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system.host import own_authorities

_NO_WAY = "it needs privilege, and there is no way to it here"
_FAILED = "something before it failed"
_NOT_THERE = "what it needs is not there"


class Stages:
    """Carries out one provisioning. A change is begun once at most; what failed is marked, and so is what
    hangs on it.

    ``answers`` are what the person said about conflicts. With ``lands`` a version is put into use as soon as
    it is there, while others are still fetched or built. ``in_step`` is called before new shells are asked:
    it renews what they look up beside the generated files.
    """

    def __init__(
        self,
        planner: Planner,
        runner: Runner,
        journal: Journal,
        person: Person,
        answers: Mapping[str, str],
        in_step: Callable[[Machine], None],
        *,
        lands: bool = False,
        offline: bool = False,
    ) -> None:
        self._offline = offline
        self._in_step = in_step
        self._planner = planner
        self._runner = runner
        self._journal = journal
        self._person = person
        self._answers = answers
        self._marked: dict[str, ChangeReport] = {}
        """What became of each change, by its key."""
        self._told: list[ChangeReport] = []
        self._proved: proved.Proved | None = None
        self._errands: dict[str, None] = {}
        self._lands = lands
        self._landed: list[tuple[Change, ChangeReport]] = []
        """What was put into use early. Where a later change has the same key, that one is told."""
        self.wanted = Wanted((), (), (), (), (), (), (), Path())
        """What was wanted in the end, without what could not be had."""
        self.shells_changed = False
        """Whether what shells read when they start has changed."""

    def carry_out(self, plan: Plan, machine: Machine) -> Outcome:
        """Make the changes, and prove them. What was not done is told in the outcome, with the reason.

        Raises ``Problem`` where what is left cannot be planned any more.
        """
        plan, machine, well = self._until(Stage.SHELL, plan, machine)
        proof = None
        if well:
            proof = self._prove(plan, machine)
            if not proof.ok:
                plan, machine, proof = self._try_lines(plan, machine, proof)
            if not proof.ok:
                plan, machine, proof = self._try_places(plan, machine, proof)
            self._hold_back(plan, proof)
            if self._open(plan, Stage.CLEAR):
                plan, machine, _ = self._until(Stage.CLEAR, plan, machine)
                proof = self._prove(plan, machine)
            well = proof.ok and all(change.key in self._marked for change in plan.changes)
            conditions = conditions_proved(plan.wanted, machine) if well else {}
            self._before(machine).record(conditions, proof.shells)
            if not proof.ok:
                proof, _ = with_fixes(proof, plan.wanted, machine, self._person.jobs)
            self._before(machine).write(baseline=kept(proof, self._before(machine).baseline))
            self._runner.notices.extend(notices_of(proof))
            self._give_up(plan, _FAILED)
        else:
            self._give_up(plan, _FAILED)
        self.wanted = plan.wanted
        told = [report for change, report in self._landed if change.key not in self._marked]
        return Outcome(
            (*self._told, *told), proof, notices=tuple(self._runner.notices), errands=tuple(self._errands)
        )

    def _until(self, last: Stage, plan: Plan, machine: Machine) -> tuple[Plan, Machine, bool]:
        """Carry out the first stage of the plan and plan again, until nothing of a stage up to ``last`` is
        open.

        Returns the last plan, the machine, and whether the stages after it may follow.
        """
        self._mark_what_waits(plan)
        while ready := self._open(plan, last):
            stage = ready[0].stage
            left = estimate(change for change in plan.changes if change.key not in self._marked)
            self._runner.reporter.ahead(left.steps, left.size)
            begun = [change for change in ready if change.stage is stage]
            land = partial(self._land, machine, begun) if stage is Stage.OBTAIN and self._lands else None
            done = self._runner.stage(begun, land)
            touched = {fact for change, _ in self._landed for fact in change.touches}
            for change, report in zip(ready, done, strict=False):
                self._mark(change, report)
                touched |= change.touches
                self.shells_changed |= stage is Stage.SHELL and report.outcome == "done"
            self._mark_what_waits(plan)
            machine = machine.again(touched)
            plan = self._planner.plan(machine, self._journal.resolutions(), self._answers, self._given_up)
            self._mark_what_waits(plan)
            if stage >= Stage.SHELL and not all(report.well for report in done):
                return plan, machine, False
        for change in plan.changes:
            if change.pending and change.key not in self._marked:
                self._mark(change, waits(change, _NOT_THERE))
        return plan, machine, plan.last >= Stage.SHELL

    def _land(self, machine: Machine, begun: Sequence[Change], waiting: frozenset[str]) -> None:
        """Put what is there into use while the others are still fetched or built, and verify it. What takes a
        version from shells that use one already waits for all. Nothing is put into use while a foreign
        program may work in a layer over the home: the files below must not change (Linux, "Overlay
        Filesystem", "Changes to underlying filesystems"), and our lines would pass for the program's.
        """
        if any(change.layered for change in begun if change.key in waiting):
            return
        landed = [change for change, _ in self._landed]
        machine = machine.again({fact for change in (*begun, *landed) for fact in change.touches})
        plan = self._planner.plan(
            machine, self._journal.resolutions(), self._answers, self._given_up | waiting
        )
        lines = [change for change in plan.changes if change.stage is Stage.SHELL and not change.pending]
        if plan.last < Stage.SHELL or not lines or not plan.wanted.defaults:
            return
        reports = self._runner.stage(lines)
        if not all(report.well for report in reports):
            return
        self._landed += zip(lines, reports, strict=True)
        self.shells_changed = True
        machine = machine.again({fact for change in lines for fact in change.touches})
        proof = self._prove(plan, machine)
        names = ", ".join(f"{v.runtime} {v.version}" for v in plan.wanted.defaults)
        told = proof.told if proof.ok else "other checks wait for the rest of this run"
        self._runner.reporter.said(f"ready in new shells: {names} ({told})")

    def _open(self, plan: Plan, last: Stage) -> Sequence[Change]:
        """The changes up to a stage that can be begun."""
        last = min(last, plan.last)
        return [c for c in plan.changes if c.key not in self._marked and not c.pending and c.stage <= last]

    @property
    def _given_up(self) -> frozenset[str]:
        """The keys of what could not be done."""
        return frozenset(key for key, report in self._marked.items() if not report.well)

    def _mark(self, change: Change, report: ChangeReport) -> None:
        self._marked[change.key] = report
        self._told.append(report)

    def _mark_what_waits(self, plan: Plan) -> None:
        """Mark what cannot be had, what has no way to privilege, and what hangs on something that was not
        done.
        """
        self._told += [report for report in plan.failed if report not in self._told]
        self._errands |= dict.fromkeys(plan.errands)
        for change in plan.changes:
            if change.key in self._marked:
                continue
            lacking = next((need for need in change.needs if need in self._given_up), None)
            if change.key in plan.beyond:
                self._mark(change, waits(change, _NO_WAY))
            elif lacking is not None:
                self._mark(change, waits(change, f"it needs {self._marked[lacking].subject}"))

    def _hold_back(self, plan: Plan, proof: Proof) -> None:
        """Mark a change that removes something old as skipped while a check fails of a command that the
        manifest gives and the old one gave.
        """
        given = {c for version in plan.wanted.defaults for c in version.recipe.commands} | set(
            plan.wanted.of_system
        )
        for change in plan.changes:
            if change.key in self._marked or change.stage is not Stage.CLEAR:
                continue
            failing = proof.failing(change.gave & given or given)
            if failing:
                result, check = failing[0]
                where = f"{result.shell}, {result.context}" if result.context else result.shell
                self._mark(
                    change, waits(change, f"the old one stays, because {check.name!r} failed in {where}")
                )

    def _give_up(self, plan: Plan, reason: str) -> None:
        """Tell of the changes that are left that they were not begun."""
        for change in plan.changes:
            if change.key not in self._marked:
                self._mark(change, waits(change, reason))

    def _prove(self, plan: Plan, machine: Machine) -> Proof:
        """Ask new shells, after writing down which versions were taken for which wants."""
        for version in plan.wanted.versions:
            if not version.pending:
                self._journal.resolve(
                    self._runner.run, version.runtime, version.want, version.feed, version.version
                )
        self._in_step(machine)
        self._runner.reporter.said("verifying in new shells")
        # Where an authority was added to this system, a package tool that does not know it fetches nothing.
        online = bool(plan.wanted.authorities and own_authorities()) and not self._offline
        asking = Asking(before=self._before(machine), online=online)
        proof = prove(plan.wanted, machine, self._person.jobs, asking)
        if online:  # a registry may also be out of reach for other reasons: that makes nothing fail
            proof, failed = proof.spared({question.name for question in fetches(plan.wanted)})
            self._runner.notices += [
                f"failed, and not counted: {each.name}; zesty-anchor verify --online shows why"
                for each in failed
            ]
        return proof if proof.ok else with_baseline(proof, machine)

    def _before(self, machine: Machine) -> proved.Proved:
        """What earlier runs proved. What this one proves it asks again, as long as it changes something."""
        if self._proved is None:
            self._proved = proved.read(machine.locations.state)
        return self._proved

    def _try_lines(self, plan: Plan, machine: Machine, proof: Proof) -> tuple[Plan, Machine, Proof]:
        """An alias to the old one, or a line that puts it first, may be all that keeps the new one from
        answering. So those lines are taken out on trial, and put back where that does not help. Returns the
        proof that holds then.
        """
        lines = [change for change in self._open(plan, Stage.CLEAR) if change.on_trial]
        if not lines:
            return plan, machine, proof
        changed = machine.again({fact for change in lines for fact in change.touches})
        proofs = [proof]

        def well() -> bool:
            proofs.append(
                prove(plan.wanted, changed, self._person.jobs, Asking(before=self._before(machine)))
            )
            return proofs[-1].ok

        reports = self._runner.attempt(lines, well)
        if not proofs[-1].ok:
            return plan, machine, proof
        return self._kept(lines, reports, changed), changed, proofs[-1]

    def _try_places(self, plan: Plan, machine: Machine, proof: Proof) -> tuple[Plan, Machine, Proof]:
        """A line of the person's below ours may be what wins. So ours goes below it, on trial. Returns the
        proof that holds then, with the causes of what still fails.
        """
        proof = explained(proof, plan.wanted, machine, self._planner.place_of)
        self._planner.lines = lines_outdone(proof, machine)
        if not any(self._planner.lines):
            return plan, machine, proof
        moved = self._planner.plan(machine, self._journal.resolutions(), self._answers, self._given_up)
        lines = [
            change for change in moved.changes if change.kind == "startup-file" and moved.last >= Stage.SHELL
        ]
        changed = machine.again({fact for change in lines for fact in change.touches})
        proofs = [proof]

        def better() -> bool:
            proofs.append(
                prove(moved.wanted, changed, self._person.jobs, Asking(before=self._before(machine)))
            )
            return len(proofs[-1].failures) < len(proof.failures)

        reports = self._runner.attempt(lines, better) if lines else []
        if len(proofs[-1].failures) >= len(proof.failures):
            self._planner.lines = (frozenset(), frozenset())
            return plan, machine, proof
        for change in lines:
            self._runner.notices.append(f"our line in {change.subject} stands where it takes effect now")
        self.shells_changed = True
        proof = explained(proofs[-1], moved.wanted, changed, self._planner.place_of)
        return self._kept(lines, reports, changed), changed, proof

    def _kept(self, lines: Sequence[Change], reports: Sequence[ChangeReport], changed: Machine) -> Plan:
        """What was tried stays: tell it, and plan again."""
        for change, report in zip(lines, reports, strict=True):
            self._mark(change, report)
        return self._planner.plan(changed, self._journal.resolutions(), self._answers, self._given_up)
