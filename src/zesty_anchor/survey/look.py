"""The survey that a person asks for: shells, startup files, and who answers to which command."""

from __future__ import annotations

import os
import subprocess
from collections.abc import Iterable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from zesty_anchor.proof.fresh import ask, clean_environment, unlittered
from zesty_anchor.shells.known import SHELLS
from zesty_anchor.shells.shell import MARK
from zesty_anchor.survey.findings import Answering, Findings, ShellFound, Standing, StartupFileFound
from zesty_anchor.survey.machine import InstalledShell, Machine
from zesty_anchor.system.host import user_name

_SECONDS = 3.0


def look(machine: Machine, commands: Iterable[str], manifest: str = "") -> Findings:
    """Everything found. Fresh interactive login shells are asked for their PATH; nothing is written."""
    wanted = tuple(dict.fromkeys(commands))
    around = machine.around
    leaves = [path for shell in machine.shells for path in SHELLS[shell.name].leaves(around)]
    with unlittered(leaves), ThreadPoolExecutor(4) as pool:
        paths = dict(zip(machine.shells, pool.map(lambda s: _fresh_path(s, machine), machine.shells), strict=True))
    answers = tuple(
        answer
        for command in wanted
        for shell, path in paths.items()
        for answer in _answers(command, shell.name, path, machine)
    )
    return Findings(
        system=machine.host.title,
        platform=machine.host.platform,
        shells=tuple(ShellFound(s.name, s.program, s.login) for s in machine.shells),
        startup_files=tuple(_startup_files(machine)),
        answers=answers,
        unanswered=tuple(c for c in wanted if all(a.command != c for a in answers)),
        shelf=tuple(Standing(runtime, version) for runtime, version in machine.shelf),
        manifest=manifest,
    )


def _startup_files(machine: Machine) -> Iterable[StartupFileFound]:
    shown = machine.locations.shown
    around = machine.around
    here = {shell.name for shell in machine.shells}
    for name, shell in SHELLS.items():
        if name not in here:
            continue
        for path in (reading.file for reading in shell.reads(around)):
            file = machine.startup[path]
            yield StartupFileFound(
                file=shown(path),
                shell=name,
                exists=file.content is not None,
                block=MARK.encode() in (file.content or b""),
                writable=file.writable,
                links_to=shown(file.target) if path.is_symlink() else "",
            )


def _fresh_path(shell: InstalledShell, machine: Machine) -> str:
    context = max(SHELLS[shell.name].contexts, key=lambda c: len(c.options))
    environment = clean_environment(machine.locations.home, shell.program, user_name(), machine.login_path)
    asked = ask(SHELLS[shell.name], shell.program, context, environment, ['printf %s "$PATH"'], seconds=_SECONDS)
    return asked.answers[0].text


def _answers(command: str, shell: str, path: str, machine: Machine) -> Iterable[Answering]:
    for place, file in enumerate(answering(command, path)):
        yield Answering(command, shell, machine.locations.shown(file), owner(file, machine), wins=place == 0)


def answering(command: str, path: str) -> list[str]:
    """The files that answer to a command, in the order of a PATH."""
    found = (Path(folder, command) for folder in path.split(":") if folder)
    return list(dict.fromkeys(str(file) for file in found if os.access(file, os.X_OK) and file.is_file()))


def owner(file: str, machine: Machine) -> str:
    """Who put a file there: this program, a package of the system, a folder in the home, or unknown."""
    locations = machine.locations
    if Path(file).is_relative_to(locations.data):
        return "zesty-anchor"
    if Path(file).is_relative_to(locations.home):
        top = Path(file).relative_to(locations.home).parts[0]
        return f"the folder ~/{top}"
    return _package(file) or "unknown"


def _package(file: str) -> str:
    """The Debian package that owns a file (dpkg-query(1)), also where /bin is a link to /usr/bin."""
    for name in dict.fromkeys((file, file.removeprefix("/usr"), os.path.realpath(file))):
        try:
            answer = subprocess.run(["dpkg-query", "-S", name], capture_output=True, text=True, timeout=5, check=False)
        except (OSError, subprocess.TimeoutExpired):
            return ""
        if answer.returncode == 0:
            return f"Debian package {answer.stdout.split(':')[0]}"
    return ""
