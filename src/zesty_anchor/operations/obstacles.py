"""What on this machine would stop the run of a plan."""

from __future__ import annotations

from zesty_anchor.planning.plan import Plan
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.system.obstacles import obstacles
from zesty_anchor.system.problem import Problem


def obstacles_of(workstation: Workstation, plan: Plan) -> list[Problem]:
    """What would stop the run of a plan: limits, the disk, the clock."""
    locations = workstation.locations
    return list(obstacles(locations.data, plan.ahead.size, locations.shown))


def check_obstacles(workstation: Workstation, plan: Plan) -> None:
    """Raises ``Problem`` for the first of them, which names the others too."""
    found = obstacles_of(workstation, plan)
    if found:
        first, *others = found
        more = "".join(f"; and {each.what}" for each in others)
        raise Problem(first.what + more, advice=f"{first.advice}; nothing was changed")
