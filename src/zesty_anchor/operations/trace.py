"""Tracing where a command, a variable or the entries of PATH come from."""

from __future__ import annotations

from collections.abc import Mapping

from zesty_anchor.manifest.recipe import Recipe
from zesty_anchor.planning.choices import choice_of
from zesty_anchor.planning.look import look_at
from zesty_anchor.planning.traced import Traced
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.recipes import with_word
from zesty_anchor.survey.installs_there import InstallThere, installs_there
from zesty_anchor.survey.machine import Machine
from zesty_anchor.survey.owner import Owners
from zesty_anchor.survey.startup.provenance import origins, traces
from zesty_anchor.system.host import answering


def trace(workstation: Workstation, name: str) -> Traced:
    """Ask fresh shells of every kind. ``name`` is a command, ``$NAME`` for a variable, or ``PATH``."""
    machine = look_at(workstation)
    started = traces(machine, asked=[name])
    no_command = name.startswith("$") or name == "PATH"
    here = "" if no_command else next(iter(answering(name, machine.path)), "")
    runtime = _of_runtime(name, workstation.recipes)
    owners = Owners(machine)
    return Traced(
        name,
        tuple(origins(name, started, machine, owners)),
        here,
        tuple(f"{each.shell} ({each.context}): {each.cut_off}" for each in started if each.cut_off),
        choice_of(workstation, machine, runtime) if runtime else None,
        tuple((each.shell, each.context) for each in started),
        () if no_command else _installs(workstation, name, runtime, [each.path for each in started], machine, owners),
    )


def _of_runtime(name: str, recipes: Mapping[str, Recipe]) -> str | None:
    """The runtime that bears the name, or has a command of it."""
    return next((r for r, recipe in recipes.items() if name == r or name in recipe.commands), None)


def _installs(
    workstation: Workstation, name: str, runtime: str | None, paths: list[str], machine: Machine, owners: Owners
) -> tuple[InstallThere, ...]:
    """Those of the runtime; where the manifest has none of that name, of one that a shipped recipe is of."""
    recipes = workstation.recipes
    if runtime is None:
        recipes = with_word(name, workstation.locations.recipes)
        runtime = _of_runtime(name, recipes)
    if runtime is None:
        return ()
    together = ":".join(dict.fromkeys(folder for path in paths for folder in path.split(":")))
    return installs_there({runtime: recipes[runtime]}, machine, owners, together)[runtime]
