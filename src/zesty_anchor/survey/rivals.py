"""What else answers to the manifest's commands in a new shell."""

from __future__ import annotations

import os
from collections.abc import Iterable, Mapping
from pathlib import Path

import msgspec

from zesty_anchor.manifest.recipe import Recipe
from zesty_anchor.survey.installs import held
from zesty_anchor.survey.machine import Machine
from zesty_anchor.survey.owner import Owners
from zesty_anchor.survey.startup.provenance import Origin, origins_of, traces

_SHARED = ("bin", "sbin", "shims")
"""Names of folders of commands: what an install is, is the folder around."""


class Conflict(msgspec.Struct, frozen=True):
    """Something that answers to a command of the manifest and is not of it.

    ``kind`` is ``folder`` or ``file`` (``target`` is what would go), ``package`` (its name), ``line`` (an
    alias or a function; where it stands), or ``unknown``. ``origin`` says whose it is. ``around`` tells of a
    folder around a file why it does not go, and what it holds; ``holds`` what is in a folder that goes.
    """

    command: str
    kind: str
    target: str
    origin: Origin
    around: str = ""
    holds: str = ""


def conflicts(recipes: Mapping[str, Recipe], shells: Iterable[str], machine: Machine) -> list[Conflict]:
    """Ask new shells of these kinds for the commands of runtimes; each thing is named once."""
    owners, started = (
        Owners(machine),
        traces(machine, shells, [c for recipe in recipes.values() for c in recipe.commands]),
    )
    commands = dict.fromkeys(command for recipe in recipes.values() for command in recipe.commands)
    answering = origins_of(commands, started, machine, owners)
    found: dict[tuple[str, str], Conflict] = {}
    for runtime, recipe in recipes.items():
        for command in recipe.commands:
            for origin in answering[command]:
                conflict = _conflict(command, runtime, recipe, origin, machine, owners)
                if conflict is not None:
                    found.setdefault((conflict.kind, conflict.target), conflict)
    return list(found.values())


def _conflict(
    command: str, runtime: str, recipe: Recipe, origin: Origin, machine: Machine, owners: Owners
) -> Conflict | None:
    locations = machine.locations
    if origin.ours or origin.kind in ("builtin", "launcher") or origin.owner.startswith("zesty-anchor"):
        return None
    managed = [receipt.home for receipt in machine.shelf.values() if receipt.home]
    if any(
        Path(file or "/").is_relative_to(home)
        for file in (origin.path, origin.startup_file)
        for home in managed
    ):
        return None
    if origin.kind in ("alias", "function"):
        place = f"{origin.startup_file}:{origin.line}" if origin.startup_file else "unknown"
        return Conflict(command, "line", place, origin)
    file = Path(origin.path)
    if file.is_relative_to(locations.home):
        return _in_home(command, file, (runtime, recipe), origin, machine)
    package = owners.package(origin.path)
    if package:
        return Conflict(command, "package", package, origin)
    return Conflict(command, "unknown", origin.path, origin)


def _in_home(command: str, file: Path, of: tuple[str, Recipe], origin: Origin, machine: Machine) -> Conflict:
    """The install that a file belongs to; the file alone where its folder is one for all kinds of commands,
    or more than that install.
    """
    home = machine.locations.home
    folder = file.parent
    install = folder.parent if folder.name in _SHARED else folder
    if install in (home, home / ".local") or not install.is_relative_to(home):
        return Conflict(command, "file", str(file), origin)
    runtime, recipe = of
    inside = held(install, recipe.commands, (runtime, *recipe.commands), _elsewhere(machine))
    if not inside.more:
        return Conflict(command, "folder", str(install), origin, holds=inside.told())
    shown = machine.locations.shown(install)
    return Conflict(
        command, "file", str(file), origin, f"{shown} stays, since {inside.more} (it has {inside.told()})"
    )


def _elsewhere(machine: Machine) -> list[Path]:
    """Files that stand for something else than an install, wherever they lead: startup files, and links in
    the home.
    """
    locations = machine.locations
    links = [
        Path(entry.path)
        for folder in (locations.home, locations.others)
        for entry in (os.scandir(folder) if folder.is_dir() else ())
        if entry.is_symlink() and not (entry.is_dir() and entry.name not in (".config", ".ssh"))
    ]
    startup = [path for path, file in machine.startup.items() if file.content is not None]
    return [*startup, locations.data, locations.state, locations.cache, *links]
