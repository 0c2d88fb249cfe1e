"""Uninstalling one version."""

from __future__ import annotations

from zesty_anchor.changes.question import Question
from zesty_anchor.changes.runtimes.remove_version import removing
from zesty_anchor.engine.outcome import TakenBack
from zesty_anchor.engine.questions import settle
from zesty_anchor.operations.in_step import bring_in_step
from zesty_anchor.operations.person import Person
from zesty_anchor.operations.running import carry_out_alone
from zesty_anchor.planning.choices import chooser
from zesty_anchor.planning.look import look_at
from zesty_anchor.planning.projects import pinning, projects
from zesty_anchor.planning.standing import standing
from zesty_anchor.planning.uses import by_hand
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system.problem import Problem, UsageProblem


def remove(workstation: Workstation, person: Person, runtime: str, version: str) -> TakenBack:
    """Move one version into the attic, after a yes where a project pins it or it has packages of the person.
    Raises ``Problem`` where something needs it.
    """
    machine = look_at(workstation)
    if (runtime, version) not in machine.shelf:
        here = ", ".join(v for r, v in machine.shelf if r == runtime)
        raise UsageProblem(f"{runtime} {version} is not installed", advice=f"installed: {here or 'none'}")
    _refuse_needed(workstation, runtime, version, machine)
    _agree_to_remove(workstation, person, runtime, version, machine)
    changes = removing(workstation.locations, workstation.locations.shelf / runtime / version)
    taken = carry_out_alone(person, workstation, changes)
    bring_in_step(workstation, machine.again({"shelf"}))
    return taken


def _agree_to_remove(
    workstation: Workstation, person: Person, runtime: str, version: str, machine: Machine
) -> None:
    """Ask about a version that projects pin, or that has packages which the person put into it."""
    used = pinning(projects(workstation, chooser(workstation, machine)), runtime, version)
    parts = (
        [f"{', '.join(pin.file for pin in used)} {'pins' if len(used) == 1 else 'pin'} it"] if used else []
    )
    if packages := by_hand(workstation, runtime, version):
        parts.append(f"it has {', '.join(package.text for package in packages)}, which you installed")
    if parts:
        text = f"remove {runtime} {version}? {' and '.join(parts)}"
        settle([Question("remove", text, "--yes", safe=True)], person.asker, yes=person.yes)


def _refuse_needed(workstation: Workstation, runtime: str, version: str, machine: Machine) -> None:
    """Raises ``Problem`` where the manifest wants a version, or another one runs on it."""
    manifest = workstation.manifest
    if runtime in manifest.tools:
        for want, step in manifest.wants(runtime).items():
            if version == standing(workstation, runtime, want, machine, workstation.past.resolutions):
                raise Problem(
                    f"{runtime} {version} is needed: the manifest wants {want!r}",
                    where=workstation.place(*step),
                    advice="take it out of the manifest first",
                )
    for (other, number), receipt in machine.shelf.items():
        if receipt.on == f"{runtime} {version}":
            raise Problem(
                f"{runtime} {version} is needed: {other} {number} runs on it",
                advice=f"remove that first: zesty-anchor remove {other} {number}",
            )
