"""The change that takes a name out of the alternatives system (update-alternatives(1))."""

from __future__ import annotations

import subprocess
from collections.abc import Iterable, Sequence
from typing import ClassVar

from zesty_anchor.changes.base import BaseChange
from zesty_anchor.changes.change import Bench, Record, Stage
from zesty_anchor.manifest.wanted import Wanted
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system.package_manager import Command
from zesty_anchor.system.problem import Problem


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
        """See ``Change``."""
        return f"alternative:{self.name}"

    @property
    def detail(self) -> str:
        """What it leads to."""
        leads = [line.partition(": ")[2] for line in self.query.splitlines() if line.startswith("Value: ")]
        return f"of the alternatives system; it leads to {', '.join(leads)}"

    @property
    def commands(self) -> tuple[Command, ...]:
        """See ``Change``."""
        return (("update-alternatives", "--remove-all", self.name),)

    def prepare(self, bench: Bench) -> Record:
        """See ``Change``."""
        return {"privileged": True, "name": self.name, "query": self.query}

    def carry_out(self, bench: Bench, record: Record) -> None:
        """See ``Change``."""
        lines: list[str] = []
        if bench.run_privileged(self.commands[0], lines.append) != 0:
            raise Problem(f"update-alternatives failed: {lines[-1] if lines else 'it says no more'}", where=self.name)


class Alternatives:
    """The kind."""

    name = "alternative"

    def plan(self, wanted: Wanted, machine: Machine) -> Iterable[DropAlternative]:
        """See ``Kind``."""
        for name in wanted.alternatives:
            query = _query(name)
            if query:
                yield DropAlternative(name, query)

    def take_back(self, record: Record, bench: Bench) -> Sequence[str]:
        """See ``Kind``."""
        if _query(record["name"]):
            return ()
        for command in restored(record["query"]):
            if bench.run_privileged(command, lambda line: None) != 0:
                return (f"the alternative {record['name']} could not be brought back: {' '.join(command)}",)
        return ()


def restored(query: str) -> list[Command]:
    """The commands that bring a name back, from what ``--query`` said of it (update-alternatives(1)). Pure."""
    head, *groups = query.strip().split("\n\n")
    facts = dict(line.partition(": ")[::2] for line in head.splitlines() if ": " in line)
    links = dict(_pairs(head))
    commands: list[Command] = []
    for group in groups:
        own = dict(line.partition(": ")[::2] for line in group.splitlines() if ": " in line)
        followers = [
            word for name, path in _pairs(group) if name in links for word in ("--slave", links[name], name, path)
        ]
        commands.append(
            (
                "update-alternatives",
                "--install",
                facts["Link"],
                facts["Name"],
                own["Alternative"],
                own["Priority"],
                *followers,
            )
        )
    if facts.get("Status") == "manual":
        commands.append(("update-alternatives", "--set", facts["Name"], facts["Value"]))
    return commands


def _pairs(text: str) -> list[tuple[str, str]]:
    """The indented lines below ``Slaves:``: a name and a path each."""
    return [
        (words[0], words[1]) for line in text.splitlines() if line.startswith(" ") and len(words := line.split()) == 2
    ]


def _query(name: str) -> str:
    try:
        answer = subprocess.run(
            ["update-alternatives", "--query", name], capture_output=True, text=True, check=False, timeout=20
        )
    except OSError:
        return ""
    return answer.stdout if answer.returncode == 0 else ""
