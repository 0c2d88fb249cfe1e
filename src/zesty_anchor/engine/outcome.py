"""What came of a run, for a person and for JSON."""

from __future__ import annotations

from collections.abc import Iterable

import msgspec

from zesty_anchor.changes.change import Change
from zesty_anchor.proof.result import Proof
from zesty_anchor.system.problem import Problem


class Estimate(msgspec.Struct, frozen=True):
    """How much work lies ahead: steps, bytes to fetch, and how many of the downloads have a size that nobody
    tells.
    """

    steps: int
    size: int
    unknown: int


class ChangeReport(msgspec.Struct, frozen=True):
    """One change. ``outcome`` is pending, done, failed, skipped (because another one failed),
    undone or not undone; in a rehearsal simulated, if it was only shown.
    """

    kind: str
    subject: str
    action: str
    detail: str
    outcome: str = "pending"
    problem: str = ""
    where: str = ""
    advice: str = ""

    @property
    def well(self) -> bool:
        """Whether what needs it may follow."""
        return self.outcome in ("done", "simulated")


class Outcome(msgspec.Struct, frozen=True):
    """What a provisioning did. ``reload`` is the line that brings the current shell up to date, if one must;
    ``errands`` are the commands for an administrator, where there was no way to privilege. ``about`` are the
    commands that it was done for (None: all of the manifest): their checks decide whether it was well, and no
    others. ``seconds`` is how long the run took: its changes and their verification, without what was looked
    up and asked before (where there was no run, how long it took to see that).
    """

    changes: tuple[ChangeReport, ...]
    proof: Proof | None = None
    notices: tuple[str, ...] = ()
    reload: str = ""
    errands: tuple[str, ...] = ()
    seconds: float = 0.0
    about: frozenset[str] | None = None

    @property
    def changed(self) -> int:
        """How many changes were made."""
        return sum(change.outcome == "done" for change in self.changes)

    @property
    def failed(self) -> int:
        """How many failed, or waited for one that did."""
        return sum(not change.well for change in self.changes)

    @property
    def well(self) -> bool:
        """Whether all was done and proved; where it was done for some commands, whether nothing failed, and
        they answer.
        """
        if self.about is None:
            return not self.failed and (self.proof is None or self.proof.ok)
        failed = any(change.outcome == "failed" for change in self.changes)
        return not failed and self.proof is not None and not self.proof.failing(self.about)


class RunDone(msgspec.Struct, frozen=True):
    """One run that can be undone: when it began (seconds since 1970), its changes in order, and what was
    new, changed or gone after it.
    """

    run: int
    began: float
    changes: list[str]
    differences: tuple[str, ...] = ()


class TakenBack(msgspec.Struct, frozen=True):
    """What ``undo`` or ``dismantle`` did: subjects in the order taken back, and what a person should know."""

    changes: tuple[ChangeReport, ...]
    notices: tuple[str, ...] = ()

    @property
    def whole(self) -> bool:
        """Whether nothing is left that another try could take back."""
        return all(change.outcome == "undone" for change in self.changes)


def report(change: Change, outcome: str = "pending", problem: Problem | None = None) -> ChangeReport:
    """A change as a report, with what went wrong."""
    told = (problem.what, problem.where, problem.advice) if problem else ()
    return ChangeReport(change.kind, change.subject, change.action, change.detail, outcome, *told)


def waits(change: Change, reason: str) -> ChangeReport:
    """A change that was not begun, because of something else."""
    return ChangeReport(change.kind, change.subject, change.action, change.detail, "skipped", reason)


def reports(changes: Iterable[Change]) -> tuple[ChangeReport, ...]:
    """Changes that are pending, as reports."""
    return tuple(report(change) for change in changes)
