"""Which program a command runs where the shells of a person's terminal have no say."""

from __future__ import annotations

import os
import shutil
from collections.abc import Iterable, Iterator, Mapping
from pathlib import Path

import msgspec

from zesty_anchor.shells.known import SESSION, SHELLS
from zesty_anchor.shells.launch import is_for_root
from zesty_anchor.shells.reading import OVER_SSH, SCRIPT
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system import crontab
from zesty_anchor.system.host import answering, login_path
from zesty_anchor.system.trusted import others_can_change

_SUDO = "/usr/local/sbin:/usr/local/bin:/usr/sbin:/usr/bin:/sbin:/bin"
"""What sudo gives where its ``secure_path`` is that of the distributions (sudoers(5)); who may not read
sudoers cannot know better.
"""
_HEAD = 100
"""How many bytes tell whether a file is a launcher of ours."""
_OVER_SSH = (OVER_SSH.name, SCRIPT.name)

Paths = Mapping[tuple[str, str], str]
"""The file that a command runs in a new shell, by the shell and the way of starting it."""


class RunElsewhere(msgspec.Struct, frozen=True):
    """Where (``where``: cron, sudo, a command over ssh by the login shell, a program of the desktop), the
    file that a command runs there (empty: it is not found), and what to write there to run ours (empty: it is
    ours). ``lasting`` is the line of the manifest, or the way, that changes it for good; empty: there is
    none.
    """

    where: str
    path: str
    instead: str
    lasting: str = ""


def elsewhere(command: str, machine: Machine, found: Paths) -> Iterator[RunElsewhere]:
    """What a command of a runtime runs by cron, by sudo, over ssh and in a desktop program. ``found`` is what
    new shells run; none is started.
    """
    launcher = machine.locations.launchers / command
    if not launcher.exists():
        return
    ours = machine.locations.shown(launcher)
    yield _of_cron(command, launcher, ours, machine)
    if has_sudo():
        yield _of_sudo(command, launcher, ours)
    yield from _over_ssh(command, ours, machine, found)
    yield _of_desktop(command, launcher, ours, machine, found)


def unreached(shells: Iterable[str], *, cron: bool, sudo: bool) -> list[str]:
    """Where the commands of the manifest will not be found, in short. ``cron`` and ``sudo`` tell whether the
    manifest sees to those.
    """
    found = [] if cron else ["cron"]
    found += ["sudo"] if has_sudo() and not sudo else []
    silent = [name for name in shells if name in SHELLS and not _reads_over_ssh(name)]
    return [
        *found,
        *([f"ssh to {', '.join(silent)}"] if silent else []),
    ]


def has_sudo() -> bool:
    """Whether sudo is installed."""
    return shutil.which("sudo", path=login_path()) is not None


def _of_cron(command: str, launcher: Path, ours: str, machine: Machine) -> RunElsewhere:
    own = crontab.is_of_home(machine.locations.home)
    path = next(iter(answering(command, crontab.path_of((crontab.read() or "") if own else ""))), "")
    if path == str(launcher):
        return RunElsewhere("cron", path, "")
    return RunElsewhere("cron", path, ours, "[elsewhere] cron = true" if own else "")


def _of_sudo(command: str, launcher: Path, ours: str) -> RunElsewhere:
    path = next(iter(answering(command, _SUDO)), "")
    if _is_roots_launcher(path):
        return RunElsewhere("sudo", path, "")
    if others_can_change(str(launcher)):
        return RunElsewhere("sudo", path, f"sudo {ours}")
    return RunElsewhere("sudo", path, f"sudo {ours}", f'[elsewhere] sudo = ["{command}"]')


def _over_ssh(command: str, ours: str, machine: Machine, found: Paths) -> Iterator[RunElsewhere]:
    for shell in machine.shells:
        way = next((way for name, way in found if name == shell.name and way in _OVER_SSH), "")
        if way:
            path = found[shell.name, way]
            yield RunElsewhere(
                f"ssh to {shell.name}", path, "" if _is_ours(path, machine) else f"ssh HOST {ours}"
            )
        elif not _reads_over_ssh(shell.name):
            path = next(iter(answering(command, login_path())), "")
            yield RunElsewhere(
                f"ssh to {shell.name}", path, f"ssh HOST {ours}", "chsh, to another login shell"
            )


def _of_desktop(command: str, launcher: Path, ours: str, machine: Machine, found: Paths) -> RunElsewhere:
    """A session reads environment.d(5) where systemd starts it, else what a login of sh reads."""
    if machine.has_user_generator and (machine.generated[SESSION].content or b""):
        return RunElsewhere("the desktop", str(launcher), "")
    path = found.get(("sh", "login"), "") or next(iter(answering(command, login_path())), "")
    return RunElsewhere("the desktop", path, "" if _is_ours(path, machine) else ours)


def _is_ours(path: str, machine: Machine) -> bool:
    """Whether a file runs the active version: for the caller, or for root, who is the caller."""
    return path.startswith(f"{machine.locations.data}/") or (os.geteuid() == 0 and _is_roots_launcher(path))


def _is_roots_launcher(path: str) -> bool:
    try:
        with open(path, "rb") as file:
            return is_for_root(file.read(_HEAD).decode("utf-8", "replace"))
    except OSError:
        return False


def _reads_over_ssh(shell: str) -> bool:
    return any(context.name in _OVER_SSH for context in SHELLS[shell].contexts)
