"""Keeping what the shells read in step with the shelf."""

from __future__ import annotations

from zesty_anchor.changes.shells.launcher_texts import texts
from zesty_anchor.operations.answers import renew_answers
from zesty_anchor.planning.choices import chooser, default_version
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.shelf import stable
from zesty_anchor.shelf.launchers import keep_in_step
from zesty_anchor.shells.known import LAUNCH, SH
from zesty_anchor.shells.launch import is_launcher
from zesty_anchor.survey.machine import Machine, generated_file


def is_provisioned(workstation: Workstation) -> bool:
    """Whether what shells or launchers read is here."""
    return any(generated_file(workstation.locations, name).is_file() for name in (SH, LAUNCH))


def keep_launchers(workstation: Workstation) -> None:
    """Bring the launchers in step with the shelf: the runtimes' own package tools add commands to it."""
    if generated_file(workstation.locations, LAUNCH).is_file():
        runtimes = tuple((name, recipe.bin) for name, recipe in workstation.recipes.items())
        keep_in_step(workstation.locations.launchers, texts(workstation.locations, runtimes), is_launcher)


def bring_in_step(workstation: Workstation, machine: Machine) -> None:
    """Bring in step with the shelf: the launchers, and what ``bring_choices_in_step`` does."""
    keep_launchers(workstation)
    bring_choices_in_step(workstation, machine)


def bring_choices_in_step(workstation: Workstation, machine: Machine) -> None:
    """Bring in step with the shelf: the links to default versions, and the files with which shells look up
    what a project's pin means. Neither is in the journal, and both follow when a run is undone.
    """
    tools, folder = workstation.manifest.tools, workstation.locations.stable
    named = [name for name in tools if stable.refers(workstation.manifest.settings, name)]
    if named or folder.is_dir():
        defaults = {name: default_version(workstation, name, machine) or "" for name in tools}
        stable.keep_in_step(folder, workstation.locations.shelf, defaults, named)
    bring_answers_in_step(workstation, machine)


def bring_answers_in_step(workstation: Workstation, machine: Machine) -> None:
    """Bring in step with the shelf the files with which shells look up what a project's pin means."""
    if workstation.locations.pins.is_dir():
        renew_answers(chooser(workstation, machine), workstation)
