"""What a start of each shell costs, and which lines of the person's files cost it."""

from __future__ import annotations

from collections.abc import Collection

from zesty_anchor.planning.look import look_at
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.survey.startup.start_cost import ShellCost, start_cost
from zesty_anchor.system.problem import UsageProblem

SECONDS = 30.0
"""How long one shell is measured at most."""


def timing(workstation: Workstation, shells: Collection[str] = ()) -> list[ShellCost]:
    """Measure the shells that are named, or the login shell alone. Raises ``UsageProblem`` for one that is not here."""
    machine = look_at(workstation)
    here = {shell.name: shell for shell in machine.shells}
    for name in shells:
        if name not in here:
            raise UsageProblem(f"{name} is not on this machine", advice=f"here are: {', '.join(here)}")
    login = next((shell.name for shell in machine.shells if shell.login), next(iter(here), ""))
    names = list(dict.fromkeys(shells)) or ([login] if login else [])
    return [start_cost(here[name], machine, SECONDS) for name in names]
