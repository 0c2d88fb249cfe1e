"""What else answers to the manifest's commands in a fresh shell."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path

import msgspec

from zesty_anchor.survey.machine import Machine
from zesty_anchor.survey.owner import Owners
from zesty_anchor.survey.startup.provenance import Origin, origins, traces

_SHARED = ("bin", "sbin")
"""Names of folders of commands: what an install is, is the folder around."""


class Conflict(msgspec.Struct, frozen=True):
    """Something that answers to a command of the manifest and is not of it.

    ``kind`` is ``folder`` or ``file`` (``target`` is what would go), ``package`` (its name), ``line`` (an alias or a
    function; where it stands), or ``unknown``. ``origin`` says whose it is.
    """

    command: str
    kind: str
    target: str
    origin: Origin


def conflicts(commands: Iterable[str], shells: Iterable[str], machine: Machine) -> list[Conflict]:
    """Ask fresh shells of these kinds; each thing is named once."""
    owners, started = Owners(machine), traces(machine, shells)
    found: dict[tuple[str, str], Conflict] = {}
    for command in commands:
        for origin in origins(command, started, machine, owners):
            conflict = _conflict(command, origin, machine, owners)
            if conflict is not None:
                found.setdefault((conflict.kind, conflict.target), conflict)
    return list(found.values())


def _conflict(command: str, origin: Origin, machine: Machine, owners: Owners) -> Conflict | None:
    locations = machine.locations
    if origin.ours or origin.kind in ("builtin", "launcher") or origin.owner.startswith("zesty-anchor"):
        return None
    managed = [receipt.home for receipt in machine.shelf.values() if receipt.home]
    if any(Path(file or "/").is_relative_to(home) for file in (origin.path, origin.startup_file) for home in managed):
        return None
    if origin.kind in ("alias", "function"):
        place = f"{origin.startup_file}:{origin.line}" if origin.startup_file else "unknown"
        return Conflict(command, "line", place, origin)
    file = Path(origin.path)
    if file.is_relative_to(locations.home):
        return _in_home(command, file, origin, machine)
    package = owners.package(origin.path)
    if package:
        return Conflict(command, "package", package, origin)
    return Conflict(command, "unknown", origin.path, origin)


def _in_home(command: str, file: Path, origin: Origin, machine: Machine) -> Conflict:
    """The install that a file belongs to; the file alone where its folder is one for all kinds of commands."""
    home = machine.locations.home
    folder = file.parent
    install = folder.parent if folder.name in _SHARED else folder
    if install in (home, home / ".local") or not install.is_relative_to(home):
        return Conflict(command, "file", str(file), origin)
    return Conflict(command, "folder", str(install), origin)
