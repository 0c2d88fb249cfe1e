"""The change that writes a shell's generated file: variables and PATH in its own language."""

from __future__ import annotations

import os
from collections.abc import Iterable, Sequence
from typing import ClassVar

from zesty_anchor.changes.base import FileChange
from zesty_anchor.changes.change import Bench, Record, Stage
from zesty_anchor.changes.text_file import Edit, put_back
from zesty_anchor.manifest.wanted import Wanted
from zesty_anchor.shells.known import LANGUAGES
from zesty_anchor.shells.shell import Environment
from zesty_anchor.survey.machine import Machine
from zesty_anchor.survey.sites import sites


class WriteGenerated(FileChange, frozen=True):
    """Write, replace or remove one generated file."""

    environment: Environment
    kind: ClassVar[str] = "generated-file"
    stage: ClassVar[Stage] = Stage.SHELL

    @property
    def detail(self) -> str:
        """What it gives: the loop that keeps PATH in order says nothing to a person."""
        if self.edit.after is None:
            return "no startup file sources it any more"
        names = ", ".join(name for name, _ in self.environment.variables)
        folders = len(self.environment.first) + len(self.environment.last)
        parts = [f"{folders} folder{'' if folders == 1 else 's'} on PATH"] + ([f"variables {names}"] if names else [])
        return "; ".join(parts)


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

    def take_back(self, record: Record, bench: Bench) -> Sequence[str]:
        """See ``Kind``."""
        return put_back(record)
