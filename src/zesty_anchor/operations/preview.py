"""Looking at what a provisioning would change, and ask."""

from __future__ import annotations

import os
from collections.abc import Iterator

import msgspec

from zesty_anchor.changes.kinds import KINDS
from zesty_anchor.operations.obstacles import obstacles_of
from zesty_anchor.operations.person import Person, finder
from zesty_anchor.planning.choices import wanted_by_project
from zesty_anchor.planning.elsewhere import unreached
from zesty_anchor.planning.look import look_at
from zesty_anchor.planning.offers import Offers
from zesty_anchor.planning.plan import Plan
from zesty_anchor.planning.planner import Planner
from zesty_anchor.planning.resolve import Asked, Resolver
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system.host import answering
from zesty_anchor.system.problem import UsageProblem

_MOST = 8
"""How many commands are named."""


def preview(workstation: Workstation, person: Person) -> Plan:
    """The plan that a provisioning would begin with. Raises ``Problem`` where none can be made."""
    machine, offers = look_at(workstation), Offers(workstation)
    wants = wanted_by_project(workstation, machine, offers)
    planner = Planner(workstation, KINDS.concerned, offers, finder(person, workstation.environ), wants)
    plan = planner.plan(machine, workstation.past.resolutions)
    return msgspec.structs.replace(
        plan,
        notices=(
            *_obstacles(workstation, plan),
            *plan.notices,
            *_shadowed(plan, machine),
            *_other_shells(workstation, plan, machine),
        ),
        unreached=tuple(_unreached(plan)),
    )


def _obstacles(workstation: Workstation, plan: Plan) -> Iterator[str]:
    """What would stop a run of this plan at once."""
    if plan.changes and workstation.facts is None:
        yield from (
            f"a run would stop: {each.what}; {each.advice}" for each in obstacles_of(workstation, plan)
        )


def _unreached(plan: Plan) -> list[str]:
    asked = plan.wanted.elsewhere
    return unreached(plan.wanted.shells, cron=bool(asked.cron), sudo=bool(asked.sudo))


def _other_shells(workstation: Workstation, plan: Plan, machine: Machine) -> Iterator[str]:
    """The shells that are installed and not set up, where the manifest does not say which."""
    others = [shell.name for shell in machine.shells if shell.name not in plan.wanted.shells]
    if workstation.manifest.shells.use is None and others:
        yield f'also installed: {", ".join(others)}; to set these up as well: [shells] use = "all"'


def _shadowed(plan: Plan, machine: Machine) -> Iterator[str]:
    """Which commands of the system an installed version shadows though its recipe does not list them."""
    for version in plan.wanted.defaults:
        if (version.runtime, version.folder.name) not in machine.shelf or not any(
            c.kind == "generated-file" for c in plan.changes
        ):
            continue
        there = {entry.name for folder in version.bins if folder.is_dir() for entry in os.scandir(folder)}
        system = machine.login_path
        names = [name for name in sorted(there - set(version.recipe.commands)) if answering(name, system)]
        if names:
            more = f" and {len(names) - _MOST} more" if len(names) > _MOST else ""
            yield (
                f"{version.runtime} {version.version} also contains {', '.join(names[:_MOST])}{more}, which"
                " shadows what the system has"
            )


def script(workstation: Workstation, manager: str) -> tuple[str, bytes]:
    """The version of a manager that would be installed, and its installer, to be read.

    Raises ``UsageProblem`` where it is not brought by one.
    """
    managers, recipes = workstation.manifest.managers, workstation.recipes
    if manager not in managers or recipes[manager].installer is None:
        with_one = [name for name in managers if recipes[name].installer is not None]
        raise UsageProblem(
            f"no manager {manager!r} of this manifest is installed by a script",
            where=str(workstation.file),
            advice=f"these are: {', '.join(with_one)}" if with_one else "there is nothing to review",
        )
    offers, machine = Offers(workstation), look_at(workstation)
    release = Resolver(workstation, offers).release(Asked(manager, managers[manager].want, True), machine, {})
    return release.version, offers.script(manager, release)
