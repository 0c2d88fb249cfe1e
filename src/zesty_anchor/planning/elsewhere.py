"""Which program a command runs where no shell of the person's is started."""

from __future__ import annotations

import shutil
from collections.abc import Iterator

import msgspec

from zesty_anchor.survey.machine import Machine
from zesty_anchor.system.host import answering, login_path

_CRON = "/usr/bin:/bin"
"""What cron(8) gives: crontab(5), "PATH"."""
_SUDO = "/usr/local/sbin:/usr/local/bin:/usr/sbin:/usr/bin:/sbin:/bin"
"""What sudo gives where its ``secure_path`` is that of the distributions (sudoers(5)); who may not read
sudoers cannot know better.
"""


class Elsewhere(msgspec.Struct, frozen=True):
    """Where no shell is started (``where``: cron, sudo), the file that a command runs there
    (empty: it is not found), and what to write there to run ours.
    """

    where: str
    path: str
    instead: str


def elsewhere(command: str, machine: Machine) -> Iterator[Elsewhere]:
    """What a command of a runtime runs by cron and by sudo. Nothing is started."""
    launcher = machine.locations.launchers / command
    if not launcher.exists():
        return
    ours = machine.locations.shown(launcher)
    has_sudo = shutil.which("sudo", path=login_path()) is not None
    for where, path in (("cron", _CRON), *((("sudo", _SUDO),) if has_sudo else ())):
        instead = ours if where == "cron" else f"sudo {ours}"
        yield Elsewhere(where, next(iter(answering(command, path)), ""), instead)
