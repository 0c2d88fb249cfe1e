"""The survey that a person asks for: shells, startup files, and who answers to which command."""

from __future__ import annotations

import shutil
from collections.abc import Iterable, Mapping
from pathlib import Path

from zesty_anchor.manifest.recipe import Recipe
from zesty_anchor.shells.known import SHELLS
from zesty_anchor.shells.shell import MARK
from zesty_anchor.survey.findings import (
    Answering,
    Findings,
    ShellFound,
    Standing,
    StartupFileFound,
    VariableFound,
)
from zesty_anchor.survey.machine import Machine
from zesty_anchor.survey.owner import Owners
from zesty_anchor.survey.runtimes import runtimes
from zesty_anchor.survey.startup.provenance import Origin, origins, traces
from zesty_anchor.survey.startup.startup_trace import StartupTrace
from zesty_anchor.survey.startup.troubles import troubles
from zesty_anchor.system.host import answering


def look(
    machine: Machine, recipes: Mapping[str, Recipe], known: Mapping[str, Recipe], privilege: str, manifest: str = ""
) -> Findings:
    """Everything found. Fresh shells of every kind are started and asked; nothing is written.

    ``recipes`` are those of the manifest, ``known`` those of runtimes that are looked for as well, ``privilege`` is the
    way to the superuser's rights.
    """
    wanted = tuple(dict.fromkeys(command for recipe in recipes.values() for command in recipe.commands))
    owners, started = Owners(machine), traces(machine)
    widest = _widest(started)
    answers = tuple(
        answer
        for command in wanted
        for trace in widest
        for answer in _answers(command, trace.shell, trace.path, machine, owners)
    )
    path = origins("PATH", started, machine, owners)
    return Findings(
        system=machine.host.title,
        platform=machine.host.platform,
        shells=tuple(ShellFound(s.name, s.program, s.login) for s in machine.shells),
        startup_files=tuple(_startup_files(machine)),
        answers=answers,
        unanswered=tuple(c for c in wanted if all(a.command != c for a in answers)),
        shelf=tuple(Standing(runtime, version) for runtime, version in machine.shelf),
        manifest=manifest,
        troubles=tuple(troubles(machine, started, path)),
        runtimes=tuple(runtimes({**known, **recipes}, started, machine, owners)),
        variables=tuple(_variables(started, machine)),
        path=tuple(_entries(path, machine)),
        packages=machine.manager.name if machine.manager else "",
        privilege=privilege,
        free=shutil.disk_usage(machine.locations.home).free,
    )


def _widest(started: Iterable[StartupTrace]) -> list[StartupTrace]:
    """For each shell the start in which a person types; of several the one with the most in its PATH."""
    listed = list(started)
    best = {t.shell: t for t in sorted(listed, key=lambda t: ("interactive" in t.context, len(t.path)))}
    return [best[shell] for shell in dict.fromkeys(t.shell for t in listed)]


def _variables(started: Iterable[StartupTrace], machine: Machine) -> Iterable[VariableFound]:
    """What the person's own startup files set, each variable once."""
    seen: set[str] = {"PATH", "SHLVL", "PWD", "OLDPWD", "_", "PS1", "PS4", "BASH_XTRACEFD"}
    for trace in started:
        for name, value in trace.variables.items():
            place = trace.of_variable(name) if name not in seen else None
            if place is not None and _own(place.file, machine):
                seen.add(name)
                yield VariableFound(name, value, machine.locations.shown(place.file), place.line)


def _entries(path: Iterable[Origin], machine: Machine) -> Iterable[VariableFound]:
    """What the person's own startup files put on PATH, each folder once."""
    seen: set[str] = set()
    for entry in path:
        if entry.startup_file and _own(entry.startup_file, machine) and entry.path not in seen:
            seen.add(entry.path)
            shown = machine.locations.shown
            yield VariableFound(shown(entry.path), entry.remark, shown(entry.startup_file), entry.line or 0)


def _own(file: str, machine: Machine) -> bool:
    return Path(file).is_relative_to(machine.locations.home) and not Path(file).is_relative_to(machine.locations.data)


def _startup_files(machine: Machine) -> Iterable[StartupFileFound]:
    shown = machine.locations.shown
    around = machine.around
    here = {shell.name for shell in machine.shells}
    for name, shell in SHELLS.items():
        if name not in here:
            continue
        for reading in shell.reads(around):
            path, file = reading.file, machine.startup[reading.file]
            if not reading.runs and file.content is None:
                continue
            yield StartupFileFound(
                file=shown(path),
                shell=name,
                exists=file.content is not None,
                block=MARK.encode() in (file.content or b""),
                writable=file.writable,
                links_to=shown(file.target) if path.is_symlink() else "",
            )


def _answers(command: str, shell: str, path: str, machine: Machine, owners: Owners) -> Iterable[Answering]:
    for place, file in enumerate(answering(command, path)):
        yield Answering(command, shell, machine.locations.shown(file), owners.of(file), wins=place == 0)
