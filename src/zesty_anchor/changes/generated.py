"""The change that writes a shell's generated file: variables and PATH in its own language."""

from __future__ import annotations

import os
from collections.abc import Iterable, Sequence
from typing import ClassVar

import msgspec

from zesty_anchor.changes.change import Bench, Record, Stage
from zesty_anchor.changes.text_file import Edit, put_back
from zesty_anchor.manifest.wanted import Wanted
from zesty_anchor.shells.known import LANGUAGES
from zesty_anchor.shells.shell import Environment
from zesty_anchor.survey.machine import Machine
from zesty_anchor.survey.sites import sites
from zesty_anchor.system.locations import Locations


class WriteGenerated(msgspec.Struct, frozen=True):
    """Write, replace or remove one generated file."""

    edit: Edit
    name: str
    environment: Environment
    kind: ClassVar[str] = "generated-file"
    stage: ClassVar[Stage] = Stage.SHELL
    needs: ClassVar[frozenset[str]] = frozenset()
    privileged: ClassVar[bool] = False
    size: ClassVar[int | None] = None

    @property
    def subject(self) -> str:
        """The file."""
        return self.name

    @property
    def action(self) -> str:
        """See ``Change``."""
        return self.edit.action

    @property
    def key(self) -> str:
        """See ``Change``."""
        return f"generated:{self.name}"

    @property
    def detail(self) -> str:
        """What it gives: the loop that keeps PATH in order says nothing to a person."""
        if self.edit.after is None:
            return "no startup file sources it any more"
        names = ", ".join(name for name, _ in self.environment.variables)
        folders = len(self.environment.first) + len(self.environment.last)
        parts = [f"{folders} folder{'' if folders == 1 else 's'} on PATH"] + ([f"variables {names}"] if names else [])
        return "; ".join(parts)

    def prepare(self, bench: Bench) -> Record:
        """See ``Change``."""
        return self.edit.prepare(bench)

    def carry_out(self, bench: Bench, record: Record) -> None:
        """See ``Change``."""
        self.edit.carry_out(bench, record)


class GeneratedFiles:
    """The kind."""

    name = "generated-file"

    def plan(self, wanted: Wanted, machine: Machine) -> Iterable[WriteGenerated]:
        """See ``Kind``. A language that no startup file sources any more loses its file."""
        environment = Environment(
            variables=wanted.variables,
            first=wanted.path_first,
            last=wanted.path_last,
            shelf=str(machine.locations.shelf),
        )
        used = {site.language for site in sites(wanted.shells, machine)}
        for language, file in machine.generated.items():
            after = os.fsencode(LANGUAGES[language].environment(environment)) if language in used else None
            if after != file.content:
                edit = Edit(file, after)
                edit.check_writable()
                yield WriteGenerated(edit, machine.locations.shown(file.path), environment)

    def take_back(self, record: Record, locations: Locations) -> Sequence[str]:
        """See ``Kind``."""
        return put_back(record)
