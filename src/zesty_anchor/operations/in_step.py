"""Keeping what the shells read in step with the shelf, and with the shell that called."""

from __future__ import annotations

from zesty_anchor.changes.shells.launcher_set import texts
from zesty_anchor.operations.answers import renew_answers
from zesty_anchor.planning.choices import chooser
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.shelf.launchers import keep_in_step
from zesty_anchor.shells.known import LAUNCH, SHELLS
from zesty_anchor.shells.launch import is_launcher
from zesty_anchor.survey.machine import Machine, generated_file
from zesty_anchor.system.host import calling_shell

FOLLOWING = ("bash", "zsh", "fish", "ksh", "mksh")
"""The shells whose function brings them up to date after each command of ours."""


def is_provisioned(workstation: Workstation) -> bool:
    """Whether what the shells read stands here."""
    return generated_file(workstation.locations, LAUNCH).is_file()


def keep_launchers(workstation: Workstation) -> None:
    """Bring the launchers in step with the shelf: the runtimes' own package tools add commands to it."""
    if is_provisioned(workstation):
        runtimes = tuple((name, recipe.bin) for name, recipe in workstation.recipes.items())
        keep_in_step(workstation.locations.launchers, texts(workstation.locations, runtimes), is_launcher)


def bring_in_step(workstation: Workstation, machine: Machine) -> None:
    """Bring the launchers in step with the shelf, and the answers to projects' pins that shells read."""
    keep_launchers(workstation)
    bring_answers_in_step(workstation, machine)


def bring_answers_in_step(workstation: Workstation, machine: Machine) -> None:
    """Bring the answers to projects' pins in step with the shelf."""
    if workstation.locations.pins.is_dir():
        renew_answers(chooser(workstation, machine), workstation)


def reload_line(workstation: Workstation) -> str:
    """The line that brings the shell up to date which this program was called from."""
    locations = workstation.locations
    used = [name for name in SHELLS if generated_file(locations, name).is_file()]
    name = calling_shell(workstation.environ)
    if not used:
        return "run: zesty-anchor provision"
    name = name if name in used else used[0]
    return SHELLS[name].reload(generated_file(locations, name), locations.home)


def line_for_this_shell(workstation: Workstation) -> str:
    """The same; empty where the shell's function does it itself."""
    return "" if workstation.environ.get("ZESTY_ANCHOR_SHELL") in FOLLOWING else reload_line(workstation)


def behind(workstation: Workstation) -> str:
    """The line to type, where the shell that called has read a generated file that is no longer what it was."""
    loaded = workstation.environ.get("ZESTY_ANCHOR_LOADED", "")
    if not loaded or workstation.environ.get("ZESTY_ANCHOR_SHELL") in FOLLOWING:
        return ""
    for name in SHELLS:
        file = generated_file(workstation.locations, name)
        if file.is_file():
            with file.open("rb") as opened:
                current = b"# stamp " + loaded.encode() in (opened.readline(), opened.readline().strip())
            return "" if current else reload_line(workstation)
    return ""
