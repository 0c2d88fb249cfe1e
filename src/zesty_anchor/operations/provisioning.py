"""One provisioning: changes carried out stage by stage, and planned anew where more is known."""

from __future__ import annotations

import os
from collections.abc import Iterable
from typing import Protocol

from zesty_anchor.changes.change import Bench, Change, Stage
from zesty_anchor.changes.kinds import KINDS
from zesty_anchor.engine.journal import Journal
from zesty_anchor.engine.outcome import ChangeReport, Outcome, report, waits
from zesty_anchor.engine.reporter import Reporter
from zesty_anchor.engine.run import Runner
from zesty_anchor.manifest.wanted import Wanted, WantedVersion
from zesty_anchor.planning.compare import compare
from zesty_anchor.planning.resolve import Known
from zesty_anchor.proof.prove import prove
from zesty_anchor.proof.result import Proof
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system.privilege import Access
from zesty_anchor.system.problem import Problem

_FAILED = "something before it failed"
LINES = "conflict-lines"
"""The kind of change that takes an old install's lines out of startup files."""


class Planner(Protocol):
    """Whoever knows what is there and what is wanted."""

    def machine(self) -> Machine:
        """The machine as it is now."""

    def wanted_anew(self, machine: Machine, known: Known) -> tuple[Wanted, dict[str, Problem]]:
        """What is wanted now, and what is wrong with the runtimes that it leaves out, by name."""

    def put_together(self, machine: Machine, versions: tuple[WantedVersion, ...]) -> Wanted:
        """What is wanted, given the versions."""


class Provisioning:
    """Carries out the changes of one run."""

    def __init__(
        self, planner: Planner, journal: Journal, run: int, bench: Bench, access: Access, reporter: Reporter, jobs: int
    ) -> None:
        self._planner = planner
        self._journal = journal
        self._access = access
        self._reporter = reporter
        self._jobs = jobs
        self._runner = Runner(KINDS, journal, bench, reporter, run, jobs)
        self._told: list[ChangeReport] = []

    def carry_out(self, wanted: Wanted, machine: Machine, changes: list[Change]) -> Outcome:
        """Make the changes, and prove them in fresh shells. What was not done is told in the outcome, with the reason."""
        able = [change for change in changes if self._access.way or not change.privileged]
        left = [change for change in changes if change not in able]
        for change in left:
            self._told.append(self._runner.leave(change, "it needs privilege, and there is no way to it here"))
        errands = tuple(self._access.shown(command) for change in left for command in change.commands)
        prepared = self._stage(able, Stage.PREPARE)
        obtained = self._stage([c for c in able if not c.pending], Stage.OBTAIN)
        if prepared or any(c.pending or c.kind == "installer-script" for c in able):
            wanted, able, late = self._anew(wanted, able)
            obtained += late
            machine = self._planner.machine()
        if any(each.outcome != "done" for each in obtained):
            rest = self._without_absent(wanted, machine)
            if rest is None:
                return self._ended(able, Stage.SHELL, errands)
            last = Stage.CLEAR
            if _may_be_missed(wanted, rest):
                self._wait(able, Stage.CLEAR)
                last = Stage.SHELL
            wanted = rest
            known = compare(KINDS, wanted, self._planner.machine())
            able = [c for c in known if Stage.SHELL <= c.stage <= last]
        written = self._stage([c for c in able if not c.pending], Stage.SHELL)
        if any(each.outcome != "done" for each in written):
            return self._ended(able, Stage.CLEAR, errands)
        for version in wanted.versions:
            self._journal.resolve(version.runtime, version.want, version.feed, version.version)
        self._reporter.said("asking fresh shells")
        proof = prove(wanted, machine, self._jobs)
        clearing = [c for c in able if c.stage is Stage.CLEAR]
        if clearing and not proof.ok:
            proof = self._without_lines(wanted, machine, proof)
            clearing = [c for c in clearing if c.kind != LINES or not proof.ok]
        if clearing and not proof.ok:
            self._wait(able, Stage.CLEAR, "the new version does not answer yet, so the old one stays")
        elif clearing:
            # The startup files have changed since the plan was made.
            self._stage(compare(KINDS, wanted, self._planner.machine()), Stage.CLEAR)
            proof = prove(wanted, machine, self._jobs)
        return Outcome(tuple(self._told), proof, errands=errands)

    def _without_lines(self, wanted: Wanted, machine: Machine, proof: Proof) -> Proof:
        """An alias to the old one, or a line that puts it first, may be all that keeps the new one from answering. So
        those lines are taken out on trial, and put back where that does not help. Returns the proof that holds then.
        """
        lines = [change for change in compare(KINDS, wanted, self._planner.machine()) if change.kind == LINES]
        if not lines:
            return proof
        proofs = [proof]

        def well() -> bool:
            proofs.append(prove(wanted, machine, self._jobs))
            return proofs[-1].ok

        told = self._runner.attempt(lines, well)
        if proofs[-1].ok:
            self._told += told
        return proofs[-1] if proofs[-1].ok else proof

    def _stage(self, changes: Iterable[Change], stage: Stage) -> list[ChangeReport]:
        done = self._runner.stage([change for change in changes if change.stage is stage])
        self._told += done
        return done

    def _wait(self, changes: Iterable[Change], stage: Stage, reason: str = _FAILED) -> None:
        """Tell of the changes of a stage, and of later ones, that they were not begun."""
        self._told += [waits(change, reason) for change in changes if change.stage >= stage]

    def _ended(self, changes: Iterable[Change], stage: Stage, errands: tuple[str, ...]) -> Outcome:
        self._wait(changes, stage)
        return Outcome(tuple(self._told), errands=errands)

    def _anew(self, wanted: Wanted, able: list[Change]) -> tuple[Wanted, list[Change], list[ChangeReport]]:
        """Plan what is left, now that more is known: which versions the managers offer, what an installer wrote into
        startup files, which shells and programs the packages brought. Then do what had to wait for it.

        Returns what is wanted, the changes that are left, and the reports of those that were done or could not be.
        """
        machine = self._planner.machine()
        absent = [name for name, manager in wanted.managers.items() if (name, manager.version) not in machine.shelf]
        if absent:
            late = [waits(change, f"it needs {absent[0]}") for change in able if change.pending]
            self._told += late
            return wanted, able, late
        exact, failing = self._planner.wanted_anew(machine, self._journal.resolutions())
        attempted = {change.key for change in able if change.stage <= Stage.OBTAIN and not change.pending}
        known = [change for change in compare(KINDS, exact, machine) if change.key not in attempted]
        late = [
            report(change, "failed", failing[name])
            for change in able
            if change.pending and (name := getattr(getattr(change, "wanted", None), "runtime", "")) in failing
        ]
        late += [waits(change, "what it needs is not there") for change in known if change.pending]
        self._told += late
        ready = [change for change in known if not change.pending]
        return exact, ready, [*late, *self._stage(ready, Stage.OBTAIN)]

    def _without_absent(self, wanted: Wanted, machine: Machine) -> Wanted | None:
        """What is wanted without the versions that could not be had, so that the others are there for the shells.

        None where that would leave nothing, or would take away a version that shells use now in favour of none.
        """
        here = self._planner.machine()
        absent = [v for v in wanted.versions if (v.runtime, v.version) not in here.shelf]
        rest = tuple(v for v in wanted.versions if v not in absent)
        lost = {v.runtime for v in absent if v.default}
        used = b"".join(file.content or b"" for file in machine.generated.values())
        shelf = here.locations.shelf
        if not rest or any(os.fsencode(shelf / name) + b"/" in used for name in lost):
            return None
        return self._planner.put_together(machine, tuple(v for v in rest if v.default or v.runtime not in lost))


def _may_be_missed(wanted: Wanted, rest: Wanted) -> bool:
    """Whether what is to go may be all that answers to a command of a runtime that could not be had."""
    if wanted.purges or wanted.alternatives:
        return True
    here = {v.runtime for v in rest.versions}
    commands = [command for v in wanted.versions if v.runtime not in here for command in v.recipe.commands]
    folders = (folder / part for folder in wanted.removals for part in ("", "bin", "sbin"))
    return any((folder / command).exists() for folder in folders for command in commands)
