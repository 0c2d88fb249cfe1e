"""The shell that called, and what brings it up to date."""

from __future__ import annotations

from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.shells.known import SHELLS, following
from zesty_anchor.survey.machine import generated_file
from zesty_anchor.system.host import calling_shell


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
    """The same; empty where the shell's function does it itself, or no shell is set up."""
    if workstation.manifest.shells.use == ():
        return ""
    return "" if workstation.environ.get("ZESTY_ANCHOR_SHELL") in following() else reload_line(workstation)


def behind(workstation: Workstation) -> str:
    """The line to type, where the shell that called has read a generated file that is no longer what it
    was.
    """
    loaded = workstation.environ.get("ZESTY_ANCHOR_LOADED", "")
    if not loaded or workstation.environ.get("ZESTY_ANCHOR_SHELL") in following():
        return ""
    for name in SHELLS:
        file = generated_file(workstation.locations, name)
        if file.is_file():
            with file.open("rb") as opened:
                current = b"# stamp " + loaded.encode() in (opened.readline(), opened.readline().strip())
            return "" if current else reload_line(workstation)
    return ""
