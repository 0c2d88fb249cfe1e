"""Comparing what is wanted with what is there."""

from __future__ import annotations

from collections.abc import Iterable
from graphlib import TopologicalSorter

from zesty_anchor.changes.change import Change, Kinds, Stage
from zesty_anchor.manifest.wanted import Wanted
from zesty_anchor.survey.machine import Machine


def compare(kinds: Kinds, wanted: Wanted, machine: Machine) -> list[Change]:
    """The changes that are missing, in the order in which they can be carried out. Pure.

    Raises ``Problem`` where one of them cannot be made on this machine.
    """
    return order(change for kind in kinds.values() for change in kind.plan(wanted, machine))


def order(changes: Iterable[Change]) -> list[Change]:
    """Stage by stage, and what is needed first comes first; otherwise as given."""
    ordered: list[Change] = []
    by_key = {change.key: change for change in changes}
    for stage in Stage:
        staged = [change for change in by_key.values() if change.stage is stage]
        graph = {c.key: [need for need in c.needs if need in by_key and by_key[need].stage is stage] for c in staged}
        ordered += [by_key[key] for key in TopologicalSorter(graph).static_order()]
    return ordered
