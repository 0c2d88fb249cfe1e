"""The change that takes a name out of the alternatives system (update-alternatives(1))."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import ClassVar

from zesty_anchor.changes.base import BaseChange, BaseKind
from zesty_anchor.changes.bench import Bench
from zesty_anchor.changes.change import Stage
from zesty_anchor.changes.heading import Heading
from zesty_anchor.changes.record import WHOLE, Record, Reverted
from zesty_anchor.manifest.wanted import Wanted
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system import alternatives, root_store
from zesty_anchor.system.command import Command
from zesty_anchor.system.problem import Problem


class AlternativeRecord(Record, kw_only=True, tag="alternative"):
    """The name, and all that the alternatives system said of it."""

    name: str
    query: str


class DropAlternative(BaseChange, frozen=True):
    """Take one name out, with all that it could lead to."""

    name: str
    query: str
    kind: ClassVar[str] = "alternative"
    action: ClassVar[str] = "drop"
    stage: ClassVar[Stage] = Stage.CLEAR
    privileged: ClassVar[bool] = True

    @property
    def subject(self) -> str:
        """The name."""
        return self.name

    @property
    def key(self) -> str:
        """The name."""
        return f"alternative:{self.name}"

    @property
    def detail(self) -> str:
        """What it leads to."""
        return f"of the alternatives system; it leads to {alternatives.group(self.query).value or 'nothing'}"

    @property
    def commands(self) -> tuple[Command, ...]:
        """The command that takes the name out."""
        return ((alternatives.PROGRAM, "--remove-all", self.name),)

    @property
    def gave(self) -> frozenset[str]:
        """The name, which is that of a command."""
        return frozenset({self.name})

    def prepare(self, bench: Bench) -> AlternativeRecord:
        """Write down what it leads to."""
        return AlternativeRecord(privileged=True, name=self.name, query=self.query)

    def carry_out(self, bench: Bench, record: AlternativeRecord) -> None:
        """Take it out. Raises ``Problem`` where that fails."""
        notes = root_store.note(bench.run, f"alternative-{self.name}", self.query)
        failed = bench.as_root([*notes, self.commands[0]])
        if failed:
            raise Problem(f"update-alternatives failed: {failed}", where=self.name)


class Alternatives(BaseKind):
    """The kind."""

    name = "alternative"
    heading = Heading.REMOVAL
    record = AlternativeRecord

    def look(self, wanted: Wanted, machine: Machine) -> Mapping[str, str]:
        """What the alternatives system says of each name that is to go; empty where it does not know it."""
        return {name: alternatives.query(name) for name in wanted.alternatives}

    def plan(self, wanted: Wanted, facts: Mapping[str, str]) -> Iterable[DropAlternative]:
        """One for each name that is there."""
        return [DropAlternative(name, query) for name, query in facts.items() if query]

    def take_back(self, record: AlternativeRecord, bench: Bench) -> Reverted:
        """Bring it back as it was, by what root noted of it."""
        if alternatives.query(record.name):
            return WHOLE
        query = root_store.noted(bench.run, f"alternative-{record.name}")
        if query is None:
            told = (
                f"the alternative {record.name} stays away: what it was is not noted in"
                f" {root_store.folder(bench.run)}"
            )
            return Reverted((told,))
        failed = bench.as_root(alternatives.restored(query))
        if failed:
            return Reverted((f"the alternative {record.name} could not be restored: {failed}",), whole=False)
        bench.as_root([root_store.clear(bench.run, f"alternative-{record.name}.*")])
        return WHOLE
