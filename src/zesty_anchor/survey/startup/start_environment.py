"""The environment that a new shell starts with."""

from __future__ import annotations

from zesty_anchor.shells.fresh import clean_environment
from zesty_anchor.survey.machine import InstalledShell, Machine
from zesty_anchor.system.host import user_name


def start_environment(shell: InstalledShell, machine: Machine) -> dict[str, str]:
    """What a login gives this shell, and nothing that the calling shell has set."""
    return clean_environment(
        machine.environ,
        machine.login_environ,
        machine.locations.home,
        shell.program,
        user_name(),
        machine.login_path,
    )
