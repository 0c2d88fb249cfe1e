"""The plan: the only one there is. A value."""

from __future__ import annotations

from collections.abc import Iterable

import msgspec

from zesty_anchor.changes.change import Change, Stage
from zesty_anchor.changes.question import Question
from zesty_anchor.engine.outcome import ChangeReport, Estimate, reports
from zesty_anchor.engine.questions import estimate
from zesty_anchor.manifest.wanted import Wanted
from zesty_anchor.planning.resolve import Missing


class Plan(msgspec.Struct, frozen=True):
    """What is missing on this machine, and what must be known or decided about it.

    ``changes`` are in the order in which they can be carried out; those whose keys are in ``beyond`` need
    privilege, and there is no way to it here: ``errands`` are their commands, for an administrator.
    ``commands`` are all that would run with privilege. ``failed`` is what cannot be had at all, ``missing``
    what was not looked for, since nobody was to be asked. ``differences`` are what would be new, other or
    gone against the last run, ``unreached`` where the commands are not found. No change of a stage after
    ``last`` may be begun.
    """

    wanted: Wanted
    changes: tuple[Change, ...] = ()
    beyond: frozenset[str] = frozenset()
    questions: tuple[Question, ...] = ()
    notices: tuple[str, ...] = ()
    errands: tuple[str, ...] = ()
    commands: tuple[str, ...] = ()
    failed: tuple[ChangeReport, ...] = ()
    missing: tuple[Missing, ...] = ()
    differences: tuple[str, ...] = ()
    unreached: tuple[str, ...] = ()
    last: Stage = Stage.CLEAR

    @property
    def reports(self) -> tuple[ChangeReport, ...]:
        """The changes, as a person reads them."""
        return reports(self.changes)

    @property
    def ahead(self) -> Estimate:
        """How much work they are."""
        return estimate(self.changes)


def in_order(changes: Iterable[Change]) -> list[Change]:
    """Stage by stage, and what is needed first comes first; otherwise as given."""
    listed = list(changes)
    if not listed:
        return []
    from graphlib import TopologicalSorter

    ordered: list[Change] = []
    by_key = {change.key: change for change in listed}
    for stage in Stage:
        staged = [change for change in by_key.values() if change.stage is stage]
        graph = {
            c.key: [k for k in sorted(c.needs | c.follows) if k in by_key and by_key[k].stage is stage]
            for c in staged
        }
        ordered += [by_key[key] for key in TopologicalSorter(graph).static_order()]
    return ordered
