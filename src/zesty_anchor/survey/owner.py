"""Who owns a file: this program, a package of the system, the alternatives system, or a folder in the home."""

from __future__ import annotations

import os
import subprocess
from pathlib import Path

from zesty_anchor.survey.machine import Machine

_ALTERNATIVES = "/etc/alternatives/"


class Owners:
    """Asks once for each file."""

    def __init__(self, machine: Machine) -> None:
        self._machine = machine
        self._asked: dict[str, str] = {}

    def of(self, file: str) -> str:
        """The owner of a file or a folder, for a person to read; ``unknown`` where nobody tells."""
        if file not in self._asked:
            self._asked[file] = self._of(file)
        return self._asked[file]

    def package(self, file: str) -> str:
        """The package that a file belongs to, also through the alternatives system; empty for none."""
        return package_of(os.path.realpath(file)) or package_of(file)

    def _of(self, file: str) -> str:
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
        leads = os.readlink(file) if path.is_symlink() else ""
        if leads.startswith(_ALTERNATIVES):
            chosen = os.path.realpath(file)
            return f"the alternatives system, for {chosen} of {_named(package_of(chosen)) or 'unknown origin'}"
        return _named(package_of(file)) or "unknown"


def package_of(file: str) -> str:
    """The Debian package that owns a file (dpkg-query(1)), also where /bin is a link to /usr/bin; empty for none."""
    for name in dict.fromkeys((file, file.removeprefix("/usr"), os.path.realpath(file))):
        try:
            answer = subprocess.run(["dpkg-query", "-S", name], capture_output=True, text=True, timeout=5, check=False)
        except (OSError, subprocess.TimeoutExpired):
            return ""
        if answer.returncode == 0:
            return answer.stdout.split(": ")[0].split(",")[0].split(":")[0]
    return ""


def _named(package: str) -> str:
    return f"Debian package {package}" if package else ""
