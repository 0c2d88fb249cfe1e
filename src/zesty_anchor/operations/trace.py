"""Tracing where a command, a variable or the entries of PATH come from."""

from __future__ import annotations

from zesty_anchor.planning.choices import choice_of
from zesty_anchor.planning.look import look_at
from zesty_anchor.planning.traced import Traced
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.survey.owner import Owners
from zesty_anchor.survey.startup.provenance import origins, traces
from zesty_anchor.system.host import answering


def trace(workstation: Workstation, name: str) -> Traced:
    """Ask fresh shells of every kind. ``name`` is a command, ``$NAME`` for a variable, or ``PATH``."""
    machine = look_at(workstation)
    started = traces(machine, asked=[name])
    no_command = name.startswith("$") or name == "PATH"
    here = "" if no_command else next(iter(answering(name, machine.path)), "")
    runtime = next((r for r, recipe in workstation.recipes.items() if name == r or name in recipe.commands), None)
    return Traced(
        name,
        tuple(origins(name, started, machine, Owners(machine))),
        here,
        tuple(f"{each.shell} ({each.context}): {each.cut_off}" for each in started if each.cut_off),
        choice_of(workstation, machine, runtime) if runtime else None,
        tuple((each.shell, each.context) for each in started),
    )
