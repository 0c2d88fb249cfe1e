"""Who owns a file: this program, a package of the system, the alternatives system, or a folder in the home."""

from __future__ import annotations

import os
import re
import subprocess
from collections.abc import Iterable, Sequence
from contextlib import suppress
from pathlib import Path

from zesty_anchor.survey.machine import Machine

_ALTERNATIVES = "/etc/alternatives/"
_SECONDS = 5.0


class Owners:
    """Asks once for each file, and for several at a time where they are known."""

    def __init__(self, machine: Machine) -> None:
        self._machine = machine
        self._packages: dict[str, str] = {}

    def ask(self, files: Iterable[str]) -> None:
        """Ask about several files at once: the system's package manager takes as long for many as for one."""
        asked = [path for file in files if not self._own(file) for path in (file, os.path.realpath(file))]
        new = [path for path in dict.fromkeys(asked) if path not in self._packages]
        self._packages |= packages_of(new)

    def of(self, file: str) -> str:
        """The owner of a file or a folder, for a person to read; ``unknown`` where nobody tells."""
        own = self._own(file)
        if own:
            return own
        leads = os.readlink(file) if os.path.islink(file) else ""
        if leads.startswith(_ALTERNATIVES):
            chosen = os.path.realpath(file)
            return f"the alternatives system, for {chosen} of {_named(self._package(chosen)) or 'unknown origin'}"
        return _named(self._package(file)) or "unknown"

    def package(self, file: str) -> str:
        """The package that a file belongs to, also through the alternatives system; empty for none, as of all that is in the home."""
        real = os.path.realpath(file)
        return next((found for each in (real, file) if not self._own(each) and (found := self._package(each))), "")

    def _package(self, file: str) -> str:
        if file not in self._packages:
            self._packages |= packages_of([file])
        return self._packages[file]

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


def packages_of(files: Sequence[str]) -> dict[str, str]:
    """The Debian packages that own files (dpkg-query(1), -S), also where /bin is a link to /usr/bin; empty for none."""
    named = {file: _names(file) for file in files}
    patterns = dict.fromkeys(_literal(name) for names in named.values() for name in names)
    owned: dict[str, str] = {}
    if patterns:
        with suppress(OSError, subprocess.TimeoutExpired):
            answer = subprocess.run(
                ["dpkg-query", "-S", *patterns], stdin=subprocess.DEVNULL, capture_output=True, text=True, timeout=_SECONDS,
                check=False, errors="surrogateescape",
            )  # fmt: skip
            for line in answer.stdout.splitlines():
                packages, _, path = line.partition(": ")
                if path and not packages.startswith("diversion by "):
                    owned.setdefault(path, packages.split(",")[0].split(":")[0])
    return {file: next((owned[name] for name in names if name in owned), "") for file, names in named.items()}


def _names(file: str) -> list[str]:
    merged = [file[len("/usr") :]] if file.startswith("/usr/") else []
    return list(dict.fromkeys((file, *merged, os.path.realpath(file))))


def _literal(path: str) -> str:
    """A path as a pattern of dpkg-query(1) that stands for nothing else."""
    return re.sub(r"([*?\[\\])", r"\\\1", path)


def _named(package: str) -> str:
    return f"Debian package {package}" if package else ""
