"""The change that tells a manager which version is the default, so that it and the manifest agree."""

from __future__ import annotations

import os
from collections.abc import Iterable, Mapping
from pathlib import Path
from typing import ClassVar

import msgspec

from zesty_anchor.changes.base import BaseChange, BaseKind
from zesty_anchor.changes.bench import Bench
from zesty_anchor.changes.change import Stage, version_key
from zesty_anchor.changes.heading import Heading
from zesty_anchor.changes.record import WHOLE, Record, Reverted
from zesty_anchor.changes.runtimes.install_through import manager_program
from zesty_anchor.files.inventory import Inventory, remove_same, take
from zesty_anchor.manifest.recipe import ManagerTool
from zesty_anchor.manifest.wanted import Wanted, WantedVersion
from zesty_anchor.shelf.manager import ManagerProgram
from zesty_anchor.shelf.receipt import choices_in, note_choices
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system.host import plain_environment
from zesty_anchor.system.problem import Problem


class ChoiceRecord(Record, kw_only=True, tag="manager-default"):
    """What is needed to speak to the manager again, the version that was the default ``before`` (empty:
    none), and the notes of the manager's that were ``there`` before, and ``came``; ``notes`` are those with
    what they hold.
    """

    runtime: str
    manager: str
    folder: str
    before: str
    choose: str | None
    bins: list[str]
    variables: dict[str, str]
    home: str
    there: list[str] = msgspec.field(default_factory=list)
    came: list[str] = msgspec.field(default_factory=list)
    notes: Inventory = msgspec.field(default_factory=dict)


class ChooseDefault(BaseChange, frozen=True):
    """Tell it once."""

    wanted: WantedVersion
    manager: WantedVersion
    kind: ClassVar[str] = "manager-default"
    action: ClassVar[str] = "choose"
    stage: ClassVar[Stage] = Stage.OBTAIN
    touches: ClassVar[frozenset[str]] = frozenset({"shelf"})

    @property
    def subject(self) -> str:
        """The version, and who is told."""
        return f"{self.wanted.runtime} {self.wanted.version} in {self.manager.runtime}"

    @property
    def key(self) -> str:
        """Names the change among all others."""
        return f"manager-default:{self.wanted.runtime}"

    @property
    def pending(self) -> bool:
        """Whether it cannot be known exactly yet: it waits for a manager or a program, and is planned anew
        then.
        """
        return self.wanted.pending

    @property
    def needs(self) -> frozenset[str]:
        """The version comes first, and a newer manager."""
        return frozenset(version_key(each.runtime, each.version) for each in (self.wanted, self.manager))

    @property
    def detail(self) -> str:
        """Why."""
        return "to match the manifest"

    def prepare(self, bench: Bench) -> ChoiceRecord:
        """Write down the choice that holds now."""
        tool = self.manager.recipe.manager
        assert tool is not None
        return ChoiceRecord(
            runtime=self.wanted.runtime,
            manager=self.manager.runtime,
            folder=str(self.manager.folder),
            before=choices_in(self.manager.folder).get(self.wanted.runtime, ""),
            choose=tool.choose,
            bins=list(map(str, self.manager.bins)),
            variables=dict(self.manager.variables),
            home=str(self.manager.home),
            there=sorted(_entries(self.manager.home)),
        )

    def carry_out(self, bench: Bench, record: ChoiceRecord) -> None:
        """Tell the manager, and note that it was told."""
        name, version = self.wanted.runtime, self.wanted.version
        log = bench.log / f"{self.manager.runtime}-choose-{name}.log"
        program = manager_program(self.manager, bench.environ, bench.locations.home)
        program.choose(name, version, log, lambda text: None)
        note_choices(self.manager.folder, {**choices_in(self.manager.folder), name: version})
        home = self.manager.home
        record.came = sorted(_entries(home) - set(record.there))
        if home is not None:
            came = {os.path.relpath(path, home) for path in record.came}
            record.notes = {name: item for name, item in take(home).items() if name in came}
        record.there = []


class ManagerDefaults(BaseKind):
    """The kind."""

    name = "manager-default"
    heading = Heading.VERSIONS
    record = ChoiceRecord

    def look(self, wanted: Wanted, machine: Machine) -> Mapping[str, Mapping[str, str]]:
        """What each manager was told already: by its name, the version of each runtime."""
        return {name: choices_in(manager.folder) for name, manager in wanted.managers.items()}

    def plan(self, wanted: Wanted, facts: Mapping[str, Mapping[str, str]]) -> Iterable[ChooseDefault]:
        """One for each default version whose manager can be told, and was not."""
        for version in wanted.versions:
            manager = wanted.managers.get(version.through)
            tool = manager.recipe.manager if manager else None
            if manager is None or tool is None or tool.choose is None or not version.default:
                continue
            if facts[manager.runtime].get(version.runtime) != version.version:
                yield ChooseDefault(version, manager)

    def take_back(self, record: ChoiceRecord, bench: Bench) -> Reverted:
        """Tell it the earlier choice. Without one there is nothing to tell it: what it noted is removed."""
        folder, name, before = Path(record.folder), record.runtime, record.before
        if not folder.is_dir():
            return WHOLE
        choices = choices_in(folder)
        note_choices(
            folder, {**{k: v for k, v in choices.items() if k != name}, **({name: before} if before else {})}
        )
        if not before:
            remove_same(Path(record.home), record.notes)
        if not before or choices.get(name) == before:
            return WHOLE
        bins = tuple(map(Path, record.bins))
        environment = {**plain_environment(bench.environ, bench.locations.home, bins), **record.variables}
        tool = ManagerTool(list="", install="", locate="", choose=record.choose)
        program = ManagerProgram(record.manager, tool, bins, environment, bench.locations.home)
        try:
            program.choose(name, before, bench.log / f"{record.manager}-choose-{name}.log", lambda text: None)
        except Problem as problem:
            told = f"{record.manager} could not be told to have {name} {before} by default: {problem.what}"
            return Reverted((told,), whole=False)
        return WHOLE


_DEPTH = 2
"""How deep below its home a manager's notes are looked for; versions are deeper, or large."""


def _entries(home: Path | None, depth: int = _DEPTH) -> set[str]:
    """The files and folders that a manager has near the top of its home."""
    if home is None or not home.is_dir():
        return set()
    found = {str(path) for path in home.iterdir()}
    if depth > 1:
        for path in home.iterdir():
            if path.is_dir() and not path.is_symlink():
                found |= _entries(path, depth - 1)
    return found
