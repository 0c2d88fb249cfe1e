"""The installs of a runtime that are on the machine, whoever put them there. Nothing of them is run."""

from __future__ import annotations

import os
import re
from collections.abc import Collection, Iterable, Mapping
from contextlib import suppress
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec

from zesty_anchor.manifest.recipe import Recipe
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system import alternatives
from zesty_anchor.system.host import answering

if TYPE_CHECKING:
    from zesty_anchor.survey.owner import Owners

_OURS = "zesty-anchor"
_USUAL = (Path("/opt"), Path("/usr/local"), Path("/usr/lib"), Path("/usr/lib/jvm"))
"""Where installs with a folder of their own stand (FHS 3.0, 3.13 and 4.9; Debian's Java policy, 2.1), beside
the home.
"""
_MOST_ENTRIES = 2000
"""Of a folder that holds more, the rest is not looked at."""
_VERSION = r"(?<![0-9A-Za-z.])v?(\d+(?:\.\d+)*)"
_RELEASE = r'(?m)^[A-Z_]*VERSION="?(\d+(?:\.\d+)*)"?'


class InstallThere(msgspec.Struct, frozen=True):
    """One install: its folder, or the command's file where the folder is the system's; whose it is; and its
    version, as its package, a file in it or its name tells that (empty: none does).
    """

    path: str
    owner: str
    version: str = ""

    @property
    def ours(self) -> bool:
        """Whether this program put it there."""
        return self.owner == _OURS


def installs_there(
    recipes: Mapping[str, Recipe], machine: Machine, owners: Owners, path: str
) -> dict[str, tuple[InstallThere, ...]]:
    """By the name of each runtime: its versions on the shelf, then what answers to its first command on a
    PATH, what the alternatives system could lead that to, and what stands in a folder beside those, or where
    installs of their own usually do.
    """
    found = _found(recipes, machine, path)
    files = [real for each in found.values() for real in each]
    owners.ask(files)
    versions = package_versions(files, machine, owners)
    shown = machine.locations.shown
    listed = {}
    for name, each in found.items():
        ours = [
            InstallThere(shown(machine.locations.shelf / name / version), _OURS, version)
            for runtime, version in machine.shelf
            if runtime == name
        ]
        others = [
            InstallThere(
                shown(_place(real, file, machine)), owners.of(real), versions.get(real) or _told(real)
            )
            for real, file in each.items()
        ]
        listed[name] = (*ours, *others)
    return listed


def package_versions(files: Iterable[str], machine: Machine, owners: Owners) -> dict[str, str]:
    """The versions of files that came in packages of the system: what is not run needs no time, and does
    nothing.
    """
    packages = {file: package for file in files if (package := owners.package(file))}
    if machine.manager is None or not packages:
        return {}
    versions = machine.manager.versions(sorted(set(packages.values())))
    return {file: upstream_version(versions.get(package, "")) for file, package in packages.items()}


def upstream_version(version: str) -> str:
    """The version that a package's program bears, out of EPOCH:UPSTREAM-REVISION (deb-version(7)); empty
    where it cannot be told for sure, as with what comes before a release. Pure.
    """
    upstream = version.partition(":")[2] if ":" in version else version
    upstream = upstream.rpartition("-")[0] or upstream
    upstream = upstream.rpartition("+really")[2]  # Debian Developer's Reference 5.6.3: what it really is
    found = re.match(r"\d+(?:\.\d+)+(?![\d~])(?!\.\d)", upstream)
    return found[0] if found and "~" not in upstream else ""


def told_version(folder: Path) -> str:
    """The version that an install says it is: in its file ``release``, as Java's has one, else in the
    folder's name. Empty where neither does.
    """
    try:
        found = re.search(_RELEASE, (folder / "release").read_text("utf-8", "replace"))
    except OSError:
        found = None
    found = found or re.search(_VERSION, os.path.basename(os.path.realpath(folder)))
    return found[1] if found else ""


def _found(recipes: Mapping[str, Recipe], machine: Machine, path: str) -> dict[str, dict[str, str]]:
    """By the name of each runtime the files of others that are its first command, by where they really
    are.
    """
    firsts = {recipe.commands[0] for recipe in recipes.values()}
    offered = firsts & alternatives.names().keys() if len(firsts) > 1 else firsts
    data = machine.locations.data
    found = {name: _answering(recipe.commands[0], path, offered, data) for name, recipe in recipes.items()}
    usual = [*_USUAL, machine.locations.home]
    beside = [_top(real).parent for each in found.values() for real in each if _top(real).parent not in usual]
    standing = _standing([*usual, *dict.fromkeys(beside)])
    for name, each in found.items():
        command = recipes[name].commands[0]
        for file in (folder / "bin" / command for folder, names in standing if command in names):
            each.setdefault(os.path.realpath(file), str(file))
        found[name] = {
            real: file for real, file in each.items() if _runs(real) and not Path(real).is_relative_to(data)
        }
    return found


def _answering(command: str, path: str, offered: Collection[str], data: Path) -> dict[str, str]:
    """The files, by where they really are; but for what we put on PATH."""
    named = answering(command, path)
    if command in offered:
        named += alternatives.group(alternatives.query(command)).offers
    found: dict[str, str] = {}
    for file in named:
        if not Path(file).is_relative_to(data):
            found.setdefault(os.path.realpath(file), file)
    return found


def _standing(parents: Iterable[Path]) -> list[tuple[Path, frozenset[str]]]:
    """The folders in these that have a folder ``bin``, with the names in that."""
    found = []
    for parent in parents:
        with suppress(OSError):
            for entry in sorted(os.listdir(parent))[:_MOST_ENTRIES]:
                with suppress(OSError):
                    found.append((parent / entry, frozenset(os.listdir(parent / entry / "bin"))))
    return found


def _runs(file: str) -> bool:
    return os.path.isfile(file) and os.access(file, os.X_OK)


def _place(real: str, file: str, machine: Machine) -> Path:
    top = _top(real)
    home = machine.locations.home
    common = {Path("/"), Path("/usr"), Path("/usr/local"), Path("/opt"), home, home / ".local"}
    return Path(file) if top in common else top


def _top(real: str) -> Path:
    folder = Path(real).parent
    return folder.parent if folder.name in ("bin", "sbin") else folder


def _told(real: str) -> str:
    top = _top(real)
    return told_version(top) if len(top.parts) > 2 else ""
