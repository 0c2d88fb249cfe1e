"""The change that removes packages of the system which conflict with the manifest."""

from __future__ import annotations

import shutil
from collections.abc import Iterable, Sequence
from pathlib import Path
from typing import ClassVar

from zesty_anchor.changes.base import BaseChange
from zesty_anchor.changes.change import Bench, Question, Record, Stage
from zesty_anchor.manifest.wanted import Wanted
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system.package_manager import Command, PackageManager, package_manager
from zesty_anchor.system.problem import Problem


class PurgePackages(BaseChange, frozen=True):
    """Remove packages with all that belongs to them. ``more`` are those that would go with them, ``alone`` those of all
    that are nowhere to be had again.
    """

    names: tuple[str, ...]
    more: tuple[str, ...]
    alone: tuple[str, ...]
    families: tuple[str, ...]
    kind: ClassVar[str] = "package-removal"
    action: ClassVar[str] = "remove"
    key: ClassVar[str] = "package-removal:all"
    stage: ClassVar[Stage] = Stage.CLEAR
    privileged: ClassVar[bool] = True

    @property
    def subject(self) -> str:
        """The packages."""
        return ", ".join((*self.names, *self.more))

    @property
    def detail(self) -> str:
        """What goes with it."""
        more = f"; with it goes what needs it: {', '.join(self.more)}" if self.more else ""
        kept = f"; no archive holds {', '.join(self.alone)}: a copy goes to the attic" if self.alone else ""
        return f"of the system{more}{kept}"

    @property
    def questions(self) -> tuple[Question, ...]:
        """More than was asked for needs a yes."""
        if not self.more:
            return ()
        text = f"removing {', '.join(self.names)} takes more with it: {', '.join(self.more)}. All of it?"
        key = "; ".join(f'[[conflicts.remove]] package = "{name}"' for name in self.more)
        return (Question("package-removal", text, key),)

    @property
    def commands(self) -> tuple[Command, ...]:
        """See ``Change``."""
        return (self._manager().typed_removal((*self.names, *self.more)),)

    def prepare(self, bench: Bench) -> Record:
        """See ``Change``. What of their configuration can be read is kept, and what no archive holds."""
        manager, names = self._manager(), (*self.names, *self.more)
        kept: dict[str, str] = {}
        for file in manager.settings_of(names):
            copy = bench.attic / f"settings-{len(kept):03}"
            try:
                shutil.copy2(file, copy)
            except OSError:
                continue
            kept[file] = str(copy)
        return {
            "privileged": True, "families": list(self.families), "versions": manager.versions(names), "settings": kept,
            "copies": {name: str(manager.copy_of(name, bench.attic)) for name in self.alone},
        }  # fmt: skip

    def carry_out(self, bench: Bench, record: Record) -> None:
        """See ``Change``."""
        lines: list[str] = []
        manager = self._manager()
        names = tuple(record["versions"])
        if bench.run_privileged(manager.removal(names), lines.append) != 0 or manager.all_installed() & set(names):
            raise Problem(
                f"the packages could not be removed: {lines[-1] if lines else 'it says no more'}",
                advice="what the manifest wants answers all the same: it stands first on PATH",
            )

    def _manager(self) -> PackageManager:
        manager = package_manager(self.families)
        assert manager is not None
        return manager


class PackageRemovals:
    """The kind."""

    name = "package-removal"

    def plan(self, wanted: Wanted, machine: Machine) -> Iterable[PurgePackages]:
        """See ``Kind``. Raises ``Problem`` where the system itself would go with it."""
        manager = package_manager(machine.host.families) if wanted.purges else None
        if manager is None:
            return
        names = tuple(name for name in wanted.purges if name in manager.all_installed())
        if not names:
            return
        more = manager.goes_with(names)
        if more is None:
            raise Problem(
                f"{', '.join(names)} cannot be removed: the system needs it",
                where="[[conflicts.remove]]",
                advice="take it out of there: the manifest's version stands before it on PATH, and verify proves that",
            )
        versions = manager.versions((*names, *more))
        alone = tuple(name for name, version in versions.items() if manager.is_alone(name, version))
        yield PurgePackages(names, more, alone, machine.host.families)

    def take_back(self, record: Record, bench: Bench) -> Sequence[str]:
        """See ``Kind``. They come from apt's cache, from where it fetches packages, or from the copies kept."""
        manager = package_manager(record["families"])
        if manager is None:
            return ()
        missing = [name for name in record["versions"] if name not in manager.all_installed()]
        if missing:
            copies = record.get("copies", {})
            exact = {name: record["versions"][name] for name in missing if name not in copies}
            wanted = [*manager.exactly(exact), *(copies[name] for name in missing if name in copies)]
            try:
                manager.install(
                    wanted, bench.run_privileged, lambda what, done, total: None, bench.log / "packages.log"
                )
            except Problem as problem:
                return (f"the packages {', '.join(missing)} could not be brought back: {problem.what}",)
        return [
            f"{file} has the package's own content again; what it held is kept in {copy}"
            for file, copy in record["settings"].items()
            if _differ(Path(file), Path(copy))
            and bench.run_privileged(("cp", "-p", copy, file), lambda line: None) != 0
        ]


def _differ(file: Path, copy: Path) -> bool:
    try:
        return file.read_bytes() != copy.read_bytes()
    except OSError:
        return False
