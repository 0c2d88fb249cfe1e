"""Who owns a file: this program, a package of the system, the alternatives system, or a folder in the
home.
"""

from __future__ import annotations

import os
from collections.abc import Iterable, Sequence
from pathlib import Path

from zesty_anchor.survey.machine import Machine

_ALTERNATIVES = "/etc/alternatives/"


class Owners:
    """Asks once for each file, and for several at a time where they are known."""

    def __init__(self, machine: Machine) -> None:
        self._machine = machine
        self._packages: dict[str, str] = {}

    def ask(self, files: Iterable[str]) -> None:
        """Ask about several files at once: the system's package manager takes as long for many as for one."""
        asked = [path for file in files if not self._own(file) for path in (file, os.path.realpath(file))]
        new = [path for path in dict.fromkeys(asked) if path not in self._packages]
        self._packages |= self._owners_of(new)

    def of(self, file: str) -> str:
        """The owner of a file or a folder, for a person to read; ``unknown`` where nobody tells."""
        own = self._own(file)
        if own:
            return own
        leads = os.readlink(file) if os.path.islink(file) else ""
        if leads.startswith(_ALTERNATIVES):
            chosen = os.path.realpath(file)
            return f"the alternatives system, for {chosen} of {self._named(chosen) or 'unknown origin'}"
        return self._named(file) or "unknown"

    def package(self, file: str) -> str:
        """The package that a file belongs to, also through the alternatives system; empty for none, as of all
        that is in the home.
        """
        real = os.path.realpath(file)
        return next(
            (found for each in (real, file) if not self._own(each) and (found := self._package(each))), ""
        )

    def _package(self, file: str) -> str:
        if file not in self._packages:
            self._packages |= self._owners_of([file])
        return self._packages[file]

    def _named(self, file: str) -> str:
        package, manager = self._package(file), self._machine.manager
        return f"{manager.package} {package}" if package and manager is not None else ""

    def _owners_of(self, files: Sequence[str]) -> dict[str, str]:
        manager = self._machine.manager
        return manager.owners_of(files) if manager is not None else dict.fromkeys(files, "")

    def _own(self, file: str) -> str:
        """Whose it is where that can be told from its place alone."""
        locations = self._machine.locations
        path = Path(file)
        for name, version in self._machine.shelf:
            if path.is_relative_to(locations.shelf / name / version):
                return f"zesty-anchor ({name} {version})"
        if path.is_relative_to(locations.data):
            return "zesty-anchor"
        if path.is_relative_to(locations.home):
            parts = path.relative_to(locations.home).parts
            return f"the folder ~/{parts[0]}" if parts else "the home"
        return ""
