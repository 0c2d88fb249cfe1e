"""Whether this machine can carry what a plan asks of it."""

from __future__ import annotations

from zesty_anchor.planning.plan import Plan
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.system.ground import missing_ground
from zesty_anchor.system.problem import Problem


def ground_problems(workstation: Workstation, plan: Plan) -> list[Problem]:
    """What would break the run of a plan: limits, a disk, room, the clock."""
    locations = workstation.locations
    return list(missing_ground(locations.data, plan.ahead.size, locations.shown))


def check_ground(workstation: Workstation, plan: Plan) -> None:
    """Raises ``Problem`` for the first of them, which names the others too."""
    found = ground_problems(workstation, plan)
    if found:
        first, *others = found
        more = "".join(f"; and {each.what}" for each in others)
        raise Problem(first.what + more, advice=f"{first.advice}; nothing was changed")
