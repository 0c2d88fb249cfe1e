"""Whether a shell comes to its first command."""

from __future__ import annotations

from zesty_anchor.shells.fresh import ask
from zesty_anchor.shells.known import SHELLS
from zesty_anchor.shells.reading import Context
from zesty_anchor.survey.machine import InstalledShell, Machine
from zesty_anchor.survey.startup.start_environment import start_environment


def takes_commands(shell: InstalledShell, context: Context, machine: Machine) -> bool:
    """Start it once, with nothing but what a login gives, and see."""
    environment = start_environment(shell, machine)
    return ask(SHELLS[shell.name], shell.program, context, environment, []).startup_ms is not None
