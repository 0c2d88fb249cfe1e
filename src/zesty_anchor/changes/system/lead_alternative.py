"""The change that has the alternatives system lead to the install which the manifest names
(update-alternatives(1)).
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from pathlib import Path
from typing import ClassVar

from zesty_anchor.changes.base import BaseChange, BaseKind
from zesty_anchor.changes.bench import Bench
from zesty_anchor.changes.change import Stage
from zesty_anchor.changes.heading import Heading
from zesty_anchor.changes.record import WHOLE, Record, Reverted
from zesty_anchor.manifest.wanted import Wanted
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system import alternatives, root_store
from zesty_anchor.system.alternatives import Group
from zesty_anchor.system.command import Command
from zesty_anchor.system.problem import Problem

_NAME = re.compile(r"\A[A-Za-z0-9][A-Za-z0-9.+_-]{0,99}\Z")


class LedRecord(Record, kw_only=True, tag="alternative-choice"):
    """The name, and where it was made to lead."""

    name: str
    value: str


class LeadAlternative(BaseChange, frozen=True):
    """Have one name lead to one of its offers, for every user of the machine."""

    group: Group
    value: str
    kind: ClassVar[str] = "alternative-choice"
    action: ClassVar[str] = "set"
    stage: ClassVar[Stage] = Stage.CLEAR
    privileged: ClassVar[bool] = True

    @property
    def subject(self) -> str:
        """The name."""
        return f"alternative {self.group.name}"

    @property
    def key(self) -> str:
        """The name."""
        return f"alternative-choice:{self.group.name}"

    @property
    def detail(self) -> str:
        """Where it will lead, and where it leads."""
        now = self.group.value or "nothing"
        return f"to {self.value}, for all users; it leads to {now} (alternatives = false leaves it alone)"

    @property
    def commands(self) -> tuple[Command, ...]:
        """The command that sets it."""
        return ((alternatives.PROGRAM, "--set", self.group.name, self.value),)

    def prepare(self, bench: Bench) -> LedRecord:
        """Write down where it will lead."""
        return LedRecord(privileged=True, name=self.group.name, value=self.value)

    def carry_out(self, bench: Bench, record: LedRecord) -> None:
        """Set it, after root has noted where it led. Raises ``Problem`` where that fails."""
        said = (
            alternatives.query(record.name) or self.group.said
        )  # somebody may have set it since it was planned
        notes = root_store.note(bench.run, _note(record.name), said)
        failed = bench.as_root([*notes, self.commands[0]])
        if failed:
            raise Problem(f"{alternatives.PROGRAM} failed: {failed}", where=self.group.name)


class LedAlternatives(BaseKind):
    """The kind."""

    name = "alternative-choice"
    heading = Heading.ALTERNATIVES
    record = LedRecord

    def look(self, wanted: Wanted, machine: Machine) -> Sequence[tuple[Group, str]]:
        """Each name that a command of a named install bears, leads elsewhere, and could lead to that command:
        with its offer.
        """
        names = alternatives.names() if wanted.led else {}
        found = {}
        for folder in wanted.led:
            for name in sorted(names.keys() & _files(folder)):
                file = folder / name
                if _NAME.match(name) and Path(names[name]).resolve() != file.resolve():
                    group = alternatives.group(alternatives.query(name))
                    if offer := group.offer_of(file):
                        found[name] = (group, offer)
        return tuple(found.values())

    def plan(self, wanted: Wanted, facts: Sequence[tuple[Group, str]]) -> Iterable[LeadAlternative]:
        """One for each of them."""
        return [LeadAlternative(group, offer) for group, offer in facts]

    def take_back(self, record: LedRecord, bench: Bench) -> Reverted:
        """Have it lead where it led, by what root noted; what somebody set it to since then stays."""
        now = alternatives.group(alternatives.query(record.name))
        note = root_store.noted(bench.run, _note(record.name))
        before = alternatives.group(note) if note is not None else None
        if now.chosen and now.value == record.value:
            if before is None:
                where = root_store.folder(bench.run)
                return Reverted(
                    (f"the alternative {record.name} stays: where it led is not noted in {where}",)
                )
            failed = bench.as_root([alternatives.chosen_again(before, now)])
            if failed:
                return Reverted(
                    (f"the alternative {record.name} could not be set back: {failed}",), whole=False
                )
        if before is not None:
            bench.as_root([root_store.clear(bench.run, f"{_note(record.name)}.*")])
        if before is None or now.value in (record.value, before.value, ""):
            return WHOLE
        return Reverted((f"the alternative {record.name} stays as somebody set it since",))


def _note(name: str) -> str:
    return f"alternative-choice-{name}"


def _files(folder: Path) -> set[str]:
    try:
        return {entry.name for entry in folder.iterdir()}
    except OSError:
        return set()
