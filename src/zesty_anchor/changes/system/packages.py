"""The change that installs packages of the operating system."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import ClassVar

from zesty_anchor.changes.base import BaseChange
from zesty_anchor.changes.change import ALL_PACKAGES, Bench, Record, Stage
from zesty_anchor.manifest.wanted import Wanted, WantedPackage
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system.package_manager import Command, PackageManager, package_manager
from zesty_anchor.system.privilege import Access
from zesty_anchor.system.problem import Problem


class InstallPackages(BaseChange, frozen=True):
    """Install all that are missing, in one go."""

    missing: tuple[WantedPackage, ...]
    families: tuple[str, ...]
    trouble: str
    way_out: str
    kind: ClassVar[str] = "package"
    action: ClassVar[str] = "install"
    stage: ClassVar[Stage] = Stage.PREPARE
    privileged: ClassVar[bool] = True
    key: ClassVar[str] = ALL_PACKAGES

    @property
    def names(self) -> tuple[str, ...]:
        """The packages."""
        return tuple(package.name for package in self.missing)

    @property
    def subject(self) -> str:
        """The packages, for a person."""
        return ", ".join(self.names)

    @property
    def detail(self) -> str:
        """Who needs each of them."""
        return "; ".join(f"{package.name} for {', '.join(package.needed_by)}" for package in self.missing)

    @property
    def size(self) -> int | None:
        """Bytes to fetch."""
        return self._manager().download_size(self.names)

    @property
    def commands(self) -> tuple[Command, ...]:
        """See ``Change``."""
        return tuple(self._manager().commands(self.names))

    def prepare(self, bench: Bench) -> Record:
        """See ``Change``."""
        if self.trouble:
            raise Problem(self.trouble, advice=f"mend it first: sudo {self.way_out}")
        return {
            "privileged": True,
            "families": list(self.families),
            "asked": list(self.names),
            "before": sorted(self._manager().all_installed()),
        }

    def carry_out(self, bench: Bench, record: Record) -> None:
        """See ``Change``."""

        def told(what: str, done: int, total: int) -> None:
            bench.told(self.key, f"{what}, {done} %" if done else what)

        manager = self._manager()
        manager.install(self.names, bench.run_privileged, told, bench.log / "packages.log")
        record["brought"] = sorted(manager.all_installed() - set(record["before"]))

    def _manager(self) -> PackageManager:
        manager = package_manager(self.families)
        assert manager is not None
        return manager


class Packages:
    """The kind."""

    name = "package"

    def plan(self, wanted: Wanted, machine: Machine) -> Iterable[InstallPackages]:
        """See ``Kind``. Raises ``Problem`` for a package that someone has put on hold."""
        facts = machine.packages
        if facts is None:
            return
        held = [package.name for package in wanted.packages if package.name in facts.held]
        if held:
            raise Problem(
                f"the package {held[0]} is on hold, so it is not installed",
                where="dpkg's status",
                advice=f"release it: sudo apt-mark unhold {held[0]}   (or take it out of the manifest)",
            )
        missing = tuple(package for package in wanted.packages if package.name not in facts.installed)
        if missing:
            yield InstallPackages(missing, machine.host.families, facts.trouble, facts.way_out)

    def take_back(self, record: Record, bench: Bench) -> Sequence[str]:
        """See ``Kind``. Only what this change put in goes, and of that only what nothing else needs."""
        manager = package_manager(record["families"])
        if manager is None:
            return ()
        brought = record.get("brought") or sorted(manager.all_installed() - set(record["before"]))
        going, holding = manager.removable(brought)
        told = [
            f"the package {name} stays: {', '.join(holding[name][:5])} would go with it"
            for name in record["asked"]
            if name in holding
        ]
        others = [name for name in holding if name not in record["asked"]]
        if others:
            told.append(f"and so do packages that came with it: {', '.join(others)}")
        if not going:
            return told
        command = manager.removal(going)
        lines: list[str] = []
        if bench.run_privileged(command, lines.append) != 0:
            left = [name for name in going if name in manager.all_installed()]
            typed = Access("").shown(manager.typed_removal(left))
            told += [f"the packages could not be removed; an administrator can: {typed}"] if left else []
        return told
