"""The folders that pin versions: noted where a pin decided, and listed."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path

import msgspec

from zesty_anchor.feeds.release import Release, choose
from zesty_anchor.manifest.model import SYSTEM
from zesty_anchor.manifest.read import FILE_NAME
from zesty_anchor.manifest.version import Version
from zesty_anchor.manifest.want import Want
from zesty_anchor.operations.answers import write_answers
from zesty_anchor.operations.in_step import is_provisioned
from zesty_anchor.operations.person import Person
from zesty_anchor.planning.choices import Chooser, chooser
from zesty_anchor.planning.look import look_at
from zesty_anchor.planning.offers import Offers
from zesty_anchor.planning.project_variables import ProjectSets, trust_project
from zesty_anchor.planning.projects import Project, ProjectPin, forget, note
from zesty_anchor.planning.projects import projects as remembered
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system.problem import Problem, UsageProblem


def note_pins(workstation: Workstation, choosing: Chooser, files: Iterable[Path]) -> None:
    """Remember the folders of the files that pin something: see ``note_projects``."""
    note_projects(workstation, {file.parent for file in files if choosing.read(file)})


def note_projects(workstation: Workstation, folders: Iterable[Path]) -> None:
    """Remember folders in which a pin decided, where the manifest allows that: else the record goes."""
    if not is_provisioned(workstation):
        return
    if workstation.manifest.projects.remember:
        note(workstation.locations.state, folders)
    else:
        forget(workstation.locations.state)


def trust(workstation: Workstation, folder: Path) -> ProjectSets:
    """Agree to the variables that a project sets, and have the shells set them there. Raises as
    ``trust_project``, and for the machine's own manifest.
    """
    shown = workstation.locations.shown
    if workstation.file in (folder.absolute(), folder.absolute() / FILE_NAME):
        raise UsageProblem(
            f"{shown(workstation.file)} is the manifest of this machine, not a project's",
            advice="its variables are set in every folder: zesty-anchor provision",
        )
    sets = trust_project(folder.absolute(), workstation.locations)
    if is_provisioned(workstation):
        write_answers(chooser(workstation, look_at(workstation)), workstation, [sets.file])
        note_projects(workstation, {sets.file.parent})
    return sets


def projects(workstation: Workstation, person: Person, *, newer: bool = False) -> list[Project]:
    """The folders that pin versions, the latest first; with ``newer`` the feeds are asked for what a pin
    admits that is newer than what it means now.
    """
    if not workstation.manifest.projects.remember:
        forget(workstation.locations.state)
        return []
    machine = look_at(workstation)
    found = remembered(workstation, chooser(workstation, machine))
    return with_newer(workstation, person, machine, found) if newer else found


def with_newer(
    workstation: Workstation, person: Person, machine: Machine, found: Iterable[Project]
) -> list[Project]:
    """Projects with the newer version that each pin of a line admits. A feed that fails is reported."""
    offers, offered, tools = Offers(workstation), dict[str, list[Release]](), workstation.manifest.tools

    def asked(pin: ProjectPin) -> ProjectPin:
        if pin.wrong or pin.requirement or pin.want == SYSTEM or pin.runtime not in tools:
            return pin
        if pin.runtime not in offered:
            try:
                every = offers.releases(pin.runtime, machine)
            except Problem as problem:
                person.reporter.warned(f"{pin.runtime}: {problem}")
                every = []
            offered[pin.runtime] = [release for release in every if not release.lacking]
        newest = choose(Want(pin.want), offered[pin.runtime])
        is_newer = newest is not None and (not pin.version or Version(newest.version) > Version(pin.version))
        return msgspec.structs.replace(pin, newer=newest.version if newest is not None and is_newer else "")

    listed = [msgspec.structs.replace(each, pins=tuple(map(asked, each.pins))) for each in found]
    for notice in offers.notices():
        person.reporter.said(notice)
    return listed
