"""Taking one version off the shelf."""

from __future__ import annotations

import os
from pathlib import Path

from zesty_anchor.changes.runtimes.remove_version import RemoveVersion
from zesty_anchor.engine.outcome import TakenBack
from zesty_anchor.manifest.position import line_of
from zesty_anchor.operations.in_step import bring_in_step
from zesty_anchor.operations.person import Person
from zesty_anchor.operations.running import carry_out_alone
from zesty_anchor.planning.look import look_at
from zesty_anchor.planning.standing import standing
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system.problem import Problem, UsageProblem


def remove(workstation: Workstation, person: Person, runtime: str, version: str) -> TakenBack:
    """Take one version off the shelf, into the attic. Raises ``Problem`` where something needs it."""
    machine = look_at(workstation)
    if (runtime, version) not in machine.shelf:
        here = ", ".join(v for r, v in machine.shelf if r == runtime)
        raise UsageProblem(f"{runtime} {version} is not installed", advice=f"installed: {here or 'none'}")
    _refuse_needed(workstation, runtime, version, machine)
    locations = workstation.locations
    folder = locations.shelf / runtime / version
    changes = [RemoveVersion(folder, f"{runtime} {version}")]
    if folder.is_symlink():  # a manager keeps it
        kept = Path(os.path.realpath(folder))
        changes.append(RemoveVersion(kept, locations.shown(kept)))
    taken = carry_out_alone(person, workstation, changes)
    bring_in_step(workstation, machine.again({"shelf"}))
    return taken


def _refuse_needed(workstation: Workstation, runtime: str, version: str, machine: Machine) -> None:
    """Raises ``Problem`` where the manifest wants a version, or another one runs on it."""
    manifest = workstation.manifest
    if runtime in manifest.tools:
        tool = manifest.tools[runtime]
        for want in (tool.want, *tool.also):
            if version == standing(workstation, runtime, want, machine, workstation.past.resolutions):
                raise Problem(
                    f"{runtime} {version} is needed: the manifest wants {want!r}",
                    where=f"{workstation.file}:{line_of(workstation.text, manifest.step(runtime))}",
                    advice="take it out of the manifest first",
                )
    for (other, number), receipt in machine.shelf.items():
        if receipt.on == f"{runtime} {version}":
            raise Problem(
                f"{runtime} {version} is needed: {other} {number} runs on it",
                advice=f"remove that first: zesty-anchor remove {other} {number}",
            )
