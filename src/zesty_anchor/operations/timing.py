"""What a start of each shell costs, and which lines of the person's files cost it."""

from __future__ import annotations

import time
from collections.abc import Collection
from pathlib import Path

from zesty_anchor.files import own_folders
from zesty_anchor.planning.look import look_at
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.survey.startup.past_costs import PastCost, Timed, keep_cost, last_cost, past_costs
from zesty_anchor.survey.startup.shares import is_noisy
from zesty_anchor.survey.startup.start_cost import start_cost
from zesty_anchor.system.problem import UsageProblem


def folder_for_charts(workstation: Workstation) -> Path:
    """The folder in which what draws may keep what it keeps for itself. It goes with our state."""
    own_folders.make(workstation.locations.state)
    return workstation.locations.state / "charts"


def timing(workstation: Workstation, shells: Collection[str], seconds: float) -> Timed:
    """Measure the shells that are named, or the login shell alone, each for at most so many seconds, and keep
    what was found, but where it is too noisy to be compared with.

    Raises ``UsageProblem`` for one that is not here.
    """
    machine = look_at(workstation)
    here = {shell.name: shell for shell in machine.shells}
    for name in shells:
        if name not in here:
            raise UsageProblem(f"{name} is not on this machine", advice=f"here are: {', '.join(here)}")
    login = next((shell.name for shell in machine.shells if shell.login), next(iter(here), ""))
    names = list(dict.fromkeys(shells)) or ([login] if login else [])
    past = past_costs(workstation.locations.state)
    before = {name: found for name in names if (found := last_cost(past, name)) is not None}
    costs = tuple(start_cost(here[name], machine, seconds) for name in names)
    if calm := tuple(cost for cost in costs if not is_noisy(cost)):
        keep_cost(workstation.locations.state, PastCost(time.time(), calm))
    return Timed(costs, before)
