"""Which runtimes answer on this machine, with their versions and owners."""

from __future__ import annotations

import re
import subprocess
from collections.abc import Iterable, Mapping
from pathlib import Path

from zesty_anchor.manifest.recipe import Recipe
from zesty_anchor.shells.syntax import apart
from zesty_anchor.shells.together import together
from zesty_anchor.survey.findings import RuntimeFound
from zesty_anchor.survey.installs_there import package_versions
from zesty_anchor.survey.machine import Machine
from zesty_anchor.survey.owner import Owners
from zesty_anchor.survey.startup.provenance import origins_of
from zesty_anchor.survey.startup.startup_trace import StartupTrace

_SECONDS = 10.0


def runtimes(
    recipes: Mapping[str, Recipe], started: Iterable[StartupTrace], machine: Machine, owners: Owners
) -> list[RuntimeFound]:
    """Each file that answers to a recipe's first command in some new shell, with its version: that of its
    package, else what it says.
    """
    firsts = dict.fromkeys(recipe.commands[0] for recipe in recipes.values())
    answering = origins_of(firsts, list(started), machine, owners)
    found = [
        (name, recipe, origin)
        for name, recipe in recipes.items()
        for origin in answering[recipe.commands[0]]
        if origin.kind == "file" and name == fitting(origin.path, recipes)
    ]
    packaged = package_versions([origin.path for _, _, origin in found], machine, owners)
    versions = together(
        8,
        lambda each, _: packaged.get(each[2].path) or _version(each[1], each[2].path, machine.environ),
        found,
    )
    shown = machine.locations.shown
    return [
        RuntimeFound(
            name, version, shown(origin.path), origin.owner,
            f"{shown(origin.startup_file)}:{origin.line}" if origin.startup_file else "",
        )
        for (name, _, origin), version in zip(found, versions, strict=True)
    ]  # fmt: skip


def fitting(path: str, recipes: Mapping[str, Recipe]) -> str:
    """Which of the recipes that give a command of this name a file belongs to: the one that has the most
    commands, all of them beside the file; else the one that has the fewest.
    """
    folder = Path(path).parent
    named = [name for name, recipe in recipes.items() if recipe.commands[0] == Path(path).name]
    whole = [name for name in named if all((folder / command).exists() for command in recipes[name].commands)]
    by_size = sorted(whole or named, key=lambda name: len(recipes[name].commands), reverse=bool(whole))
    return by_size[0] if by_size else ""


def _version(recipe: Recipe, path: str, environ: Mapping[str, str]) -> str:
    """What it says of itself; empty where it says nothing in time."""
    if recipe.version is None:
        return ""
    try:
        with apart() as (_, private):  # what it writes into its home is of no use to anybody
            own = {name: value for name, value in environ.items() if not name.startswith("XDG_")}
            answer = subprocess.run(
                ["/bin/sh", "-c", recipe.version.run], stdin=subprocess.DEVNULL, capture_output=True,
                text=True,
                errors="replace", timeout=_SECONDS, check=False,
                env={**own, "PATH": f"{Path(path).parent}:/usr/bin:/bin", "HOME": private["HOME"]},
            )  # fmt: skip
    except (OSError, subprocess.TimeoutExpired):
        return ""
    version = re.search(r"\d+(?:\.\d+)+[0-9A-Za-z.+-]*", answer.stdout + answer.stderr)
    return version[0] if version else ""
