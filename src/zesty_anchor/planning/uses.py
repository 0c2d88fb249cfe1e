"""What an installed version is used by."""

from __future__ import annotations

from collections.abc import Mapping

from zesty_anchor.planning.choices import SESSION, chooser
from zesty_anchor.planning.extras import split
from zesty_anchor.planning.projects import projects
from zesty_anchor.planning.standing import standing
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.survey.machine import Machine
from zesty_anchor.survey.packages import Package, packages_by_hand

VersionKey = tuple[str, str]
"""A runtime, and the name of the folder of one of its versions."""


def uses(workstation: Workstation, machine: Machine) -> Mapping[VersionKey, tuple[str, ...]]:
    """Why each version on the shelf is needed, a few words each: the manifest, pins of remembered projects,
    this session, other versions. Those that nothing needs have none.
    """
    found: dict[VersionKey, dict[str, None]] = {key: {} for key in machine.shelf}

    def note(key: VersionKey, why: str) -> None:
        if key in found:
            found[key][why] = None

    for name in workstation.manifest.tools:
        for want, step in workstation.manifest.wants(name).items():
            folder = standing(workstation, name, want, machine, workstation.past.resolutions)
            if folder is not None:
                where = workstation.locations.shown(workstation.place(*step))
                note((name, folder), f"wanted by {where}")
    for project in projects(workstation, chooser(workstation, machine)):
        for pin in project.pins:
            note((pin.runtime, pin.version), f"pinned by {pin.file}")
    for word in workstation.environ.get(SESSION, "").split():
        name, _, version = word.partition("=")
        note((name, version), "chosen for this session")
    for (other, number), receipt in machine.shelf.items():
        on, _, version = receipt.on.partition(" ")
        note((on, version), f"{other} {number} runs on it")
        if receipt.through:
            for name, folder in machine.shelf:
                if name == receipt.through:
                    note((name, folder), f"{other} {number} was installed through it")
    return {key: tuple(reasons) for key, reasons in found.items()}


def by_hand(workstation: Workstation, runtime: str, folder: str) -> tuple[Package, ...]:
    """The packages that the person put into a version: see ``packages_by_hand``."""
    if runtime not in workstation.recipes:
        return ()
    tool = workstation.manifest.tools.get(runtime)
    extras = {split(text)[0] for text in tool.extras} if tool is not None else set()
    return packages_by_hand(
        workstation.locations.shelf / runtime / folder, workstation.recipes[runtime], extras
    )
