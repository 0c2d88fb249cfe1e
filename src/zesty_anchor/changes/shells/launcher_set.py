"""The change that makes the launchers: one for each command of the versions on the shelf."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from pathlib import Path
from typing import ClassVar

from zesty_anchor.changes.base import BaseChange
from zesty_anchor.changes.change import Bench, Record, Stage
from zesty_anchor.manifest.wanted import Wanted
from zesty_anchor.shelf.launchers import commands, keep_in_step, standing
from zesty_anchor.shells.known import LAUNCH
from zesty_anchor.shells.launch import launcher
from zesty_anchor.survey.machine import Machine, generated_file
from zesty_anchor.system.locations import Locations

Runtimes = tuple[tuple[str, tuple[str, ...]], ...]
"""Names of runtimes, each with the folders of its commands below a version's folder."""


class WriteLaunchers(BaseChange, frozen=True):
    """Bring the launchers in step with the shelf. ``planned`` are those that are known before anything is fetched."""

    folder: Path
    name: str
    runtimes: Runtimes
    planned: tuple[str, ...]
    action: str
    kind: ClassVar[str] = "launchers"
    stage: ClassVar[Stage] = Stage.SHELL

    @property
    def subject(self) -> str:
        """The folder."""
        return self.name

    @property
    def key(self) -> str:
        """See ``Change``."""
        return self.kind

    @property
    def detail(self) -> str:
        """For whom."""
        return f"{', '.join(self.planned)}: for editors, cron and make, which read no startup file"

    def prepare(self, bench: Bench) -> Record:
        """See ``Change``."""
        return {"folder": str(self.folder), "before": dict(sorted(standing(self.folder).items()))}

    def carry_out(self, bench: Bench, record: Record) -> None:
        """See ``Change``."""
        keep_in_step(self.folder, texts(bench.locations, self.runtimes))


class Launchers:
    """The kind."""

    name = "launchers"

    def plan(self, wanted: Wanted, machine: Machine) -> Iterable[WriteLaunchers]:
        """See ``Kind``. A command that an extra brought has its launcher made by ``keep_in_step`` later."""
        runtimes = runtimes_of(wanted)
        coming = {name: v.runtime for v in wanted.versions for name in v.recipe.commands}
        there = texts(machine.locations, runtimes)
        missing = [name for name in coming if name not in there and name not in machine.launchers]
        stale = {name for name, text in there.items() if machine.launchers.get(name) != text}
        gone = machine.launchers.keys() - there.keys() - coming.keys()
        if missing or stale or gone:
            planned = tuple(sorted({*missing, *stale} or gone))
            action = "edit" if machine.launchers else "create"
            folder = machine.locations.launchers
            yield WriteLaunchers(folder, machine.locations.shown(folder), runtimes, planned, action)

    def take_back(self, record: Record, bench: Bench) -> Sequence[str]:
        """See ``Kind``."""
        keep_in_step(Path(record["folder"]), record["before"])
        return ()


def runtimes_of(wanted: Wanted) -> Runtimes:
    """The runtimes whose commands get launchers."""
    return tuple((name, recipe.bin) for name, recipe in wanted.recipes.items())


def texts(locations: Locations, runtimes: Runtimes) -> Mapping[str, str]:
    """The launchers that there should be, by name, with their text."""
    common = str(generated_file(locations, LAUNCH))
    return {n: launcher(n, runtime, common) for n, runtime in commands(locations.shelf, runtimes).items()}
