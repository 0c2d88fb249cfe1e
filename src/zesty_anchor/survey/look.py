"""The survey that a person asks for: shells, startup files, and who answers to which command."""

from __future__ import annotations

import os
from collections.abc import Iterable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from zesty_anchor.proof.fresh import ask, clean_environment, unlittered
from zesty_anchor.shells.known import SHELLS
from zesty_anchor.shells.shell import MARK
from zesty_anchor.survey.findings import Answering, Findings, ShellFound, Standing, StartupFileFound
from zesty_anchor.survey.machine import InstalledShell, Machine
from zesty_anchor.survey.owner import Owners
from zesty_anchor.system.host import user_name

_SECONDS = 3.0


def look(machine: Machine, commands: Iterable[str], manifest: str = "") -> Findings:
    """Everything found. Fresh interactive login shells are asked for their PATH; nothing is written."""
    wanted = tuple(dict.fromkeys(commands))
    around = machine.around
    leaves = [path for shell in machine.shells for path in SHELLS[shell.name].leaves(around)]
    with unlittered(leaves), ThreadPoolExecutor(4) as pool:
        paths = dict(zip(machine.shells, pool.map(lambda s: _fresh_path(s, machine), machine.shells), strict=True))
    owners = Owners(machine)
    answers = tuple(
        answer
        for command in wanted
        for shell, path in paths.items()
        for answer in _answers(command, shell.name, path, machine, owners)
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


def _answers(command: str, shell: str, path: str, machine: Machine, owners: Owners) -> Iterable[Answering]:
    for place, file in enumerate(answering(command, path)):
        yield Answering(command, shell, machine.locations.shown(file), owners.of(file), wins=place == 0)


def answering(command: str, path: str) -> list[str]:
    """The files that answer to a command, in the order of a PATH."""
    found = (Path(folder, command) for folder in path.split(":") if folder)
    return list(dict.fromkeys(str(file) for file in found if os.access(file, os.X_OK) and file.is_file()))
