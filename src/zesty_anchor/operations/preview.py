"""Looking at what a provisioning would change, and ask."""

from __future__ import annotations

from zesty_anchor.changes.kinds import KINDS
from zesty_anchor.operations.person import Person, finder
from zesty_anchor.planning.choices import wanted_by_project
from zesty_anchor.planning.look import look_at
from zesty_anchor.planning.offers import Offers
from zesty_anchor.planning.plan import Plan
from zesty_anchor.planning.planner import Planner
from zesty_anchor.planning.resolve import Asked, Resolver
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.system.problem import UsageProblem


def preview(workstation: Workstation, person: Person) -> Plan:
    """The plan that a provisioning would begin with. Raises ``Problem`` where none can be made."""
    machine, offers = look_at(workstation), Offers(workstation)
    wants = wanted_by_project(workstation, machine, offers)
    planner = Planner(workstation, KINDS.concerned, offers, finder(person, workstation.environ), wants)
    return planner.plan(machine, workstation.past.resolutions)


def script(workstation: Workstation, manager: str) -> tuple[str, bytes]:
    """The version of a manager that would be installed, and its installer, to be read.

    Raises ``UsageProblem`` where it is not brought by one.
    """
    managers, recipes = workstation.manifest.managers, workstation.recipes
    if manager not in managers or recipes[manager].installer is None:
        with_one = [name for name in managers if recipes[name].installer is not None]
        raise UsageProblem(
            f"no manager {manager!r} of this manifest is brought by a script",
            where=str(workstation.file),
            advice=f"these are: {', '.join(with_one)}" if with_one else "there is nothing to review",
        )
    offers, machine = Offers(workstation), look_at(workstation)
    release = Resolver(workstation, offers).release(Asked(manager, managers[manager].want, True), machine, {})
    return release.version, offers.script(manager, release)
