"""The survey that a person asks for: shells, startup files, and who answers to which command."""

from __future__ import annotations

import os
import re
import shutil
from collections.abc import Callable, Iterable, Mapping
from pathlib import Path

from zesty_anchor.files.edit import lines_of
from zesty_anchor.files.text_file import content_of
from zesty_anchor.manifest.recipe import Recipe
from zesty_anchor.shells.known import SHELLS
from zesty_anchor.shells.marked import marked_rows
from zesty_anchor.shells.together import together
from zesty_anchor.survey.disk_troubles import disk_troubles
from zesty_anchor.survey.diversions import diversions
from zesty_anchor.survey.findings import (
    Answering,
    EntryFound,
    Findings,
    RuntimeFound,
    ShellFound,
    Standing,
    StartupFileFound,
    Trouble,
    VariableFound,
)
from zesty_anchor.survey.machine import Machine
from zesty_anchor.survey.owner import Owners
from zesty_anchor.survey.path_troubles import path_troubles, unused_installs
from zesty_anchor.survey.runtimes import runtimes
from zesty_anchor.survey.startup.provenance import Origin, origins, traces
from zesty_anchor.survey.startup.start_troubles import hiding_aliases, start_troubles
from zesty_anchor.survey.startup.startup_trace import StartupTrace
from zesty_anchor.survey.startup.step import Place
from zesty_anchor.survey.startup.troubles import in_files, unready
from zesty_anchor.system.host import answering


def look(
    machine: Machine,
    recipes: Mapping[str, Recipe],
    known: Mapping[str, Recipe],
    privilege: str,
    manifest: str,
    meanwhile: Callable[[], object],
) -> Findings:
    """Everything found. New shells of every kind are started and asked; nothing is written.

    ``recipes`` are those of the manifest, ``known`` those of runtimes that are looked for as well,
    ``privilege`` is the way to the superuser's rights, ``meanwhile`` what can be done as long as they start.
    """
    wanted = tuple(dict.fromkeys(command for recipe in recipes.values() for command in recipe.commands))
    asked = (command for recipe in (*known.values(), *recipes.values()) for command in recipe.commands)
    written: list[Trouble] = []
    owners = Owners(machine)

    def as_they_start() -> None:
        # Most of what answers in new shells answers at a login as well, and the package manager takes its
        # time.
        paths = f"{machine.login_path}:{machine.path}"
        firsts = dict.fromkeys(recipe.commands[0] for recipe in (*known.values(), *recipes.values()))
        owners.ask(file for command in (*firsts, *wanted) for file in answering(command, paths))
        written.extend(in_files(machine))
        meanwhile()

    started = traces(machine, asked=asked, meanwhile=as_they_start)
    widest = _widest(started)
    owners.ask(file for command in wanted for trace in widest for file in answering(command, trace.path))
    answers = tuple(
        answer
        for command in wanted
        for trace in widest
        for answer in _answers(command, trace.shell, trace.path, machine, owners)
    )
    found: list[RuntimeFound] = []
    path: list[Origin] = []
    wrong: list[Trouble] = []

    def ask_runtimes() -> None:
        found.extend(runtimes({**known, **recipes}, started, machine, owners))

    def judge() -> None:
        path.extend(origins("PATH", started, machine, Owners(machine)))
        wrong.extend(_all_troubles(written, machine, started, path, {**known, **recipes}, recipes))

    together(2, lambda each, _: each(), (ask_runtimes, judge))  # what they say of themselves is waited for
    return Findings(
        system=machine.host.title,
        platform=machine.host.platform,
        shells=tuple(ShellFound(s.name, s.program, s.login) for s in machine.shells),
        startup_files=tuple(_startup_files(machine)),
        answers=answers,
        unanswered=tuple(c for c in wanted if all(a.command != c for a in answers)),
        shelf=tuple(Standing(runtime, version) for runtime, version in machine.shelf),
        manifest=manifest,
        troubles=tuple(wrong),
        runtimes=tuple(found),
        variables=tuple(_variables(started, machine, {**known, **recipes})),
        path=tuple(_entries(path, started, machine)),
        packages=machine.manager.name if machine.manager else "",
        privilege=privilege,
        free=shutil.disk_usage(machine.locations.home).free,
    )


def path_and_troubles(
    machine: Machine, recipes: Mapping[str, Recipe], known: Mapping[str, Recipe]
) -> tuple[list[Origin], tuple[Trouble, ...]]:
    """The entries of PATH in new shells, and what is wrong; of the commands nothing is asked."""
    written: list[Trouble] = []
    started = traces(machine, asked=(), meanwhile=lambda: written.extend(in_files(machine)))
    path = origins("PATH", started, machine, Owners(machine))
    return path, _all_troubles(written, machine, started, path, {**known, **recipes}, recipes)


def _all_troubles(
    written: list[Trouble],
    machine: Machine,
    started: list[StartupTrace],
    path: list[Origin],
    recipes: Mapping[str, Recipe],
    wanted: Mapping[str, Recipe],
) -> tuple[Trouble, ...]:
    """Each once, the worst first. ``written`` are those that the files alone show, ``wanted`` are the recipes
    of the manifest.
    """
    unready_ones = unready(machine, started)
    started = [trace for trace in started if not trace.cut_off]
    found = [
        *written,
        *unready_ones,
        *path_troubles(path, started, machine),
        *start_troubles(started, machine),
        *hiding_aliases(
            started, (command for recipe in wanted.values() for command in recipe.commands), machine
        ),
        *unused_installs(recipes, path, machine),
        *diversions(started, machine, wanted),
        *disk_troubles(machine, machine.environ.get("PATH", "")),
    ]
    return tuple(sorted(dict.fromkeys(found), key=lambda each: -each.weight))


def _widest(started: Iterable[StartupTrace]) -> list[StartupTrace]:
    """For each shell the start in which a person types; of several the one with the most in its PATH."""
    listed = list(started)
    best = {t.shell: t for t in sorted(listed, key=lambda t: ("interactive" in t.context, len(t.path)))}
    return [best[shell] for shell in dict.fromkeys(t.shell for t in listed)]


def _variables(
    started: Iterable[StartupTrace], machine: Machine, recipes: Mapping[str, Recipe]
) -> Iterable[VariableFound]:
    """What the person's own startup files set: each variable once, as the first shell has it that a person
    types in.
    """
    found: dict[str, dict[str, tuple[Place, str]]] = {}
    for trace in sorted(started, key=lambda each: "interactive" not in each.context):
        for name, value in trace.variables.items():
            place = trace.of_variable(name) if not _PASSING.fullmatch(name) else None
            if place is not None and _own(place.file, machine) and not _of_the_skeleton(place, machine):
                found.setdefault(name, {}).setdefault(value, (place, trace.shell))
    shown = machine.locations.shown
    diverting = {name: what for recipe in recipes.values() for name, what in recipe.diverted.items()}
    for name, values in found.items():
        (value, (place, _)), *others = values.items()
        others_told = tuple(f"{v} in {shell} ({shown(p.file)}:{p.line})" for v, (p, shell) in others)
        computed = any(sign in _row(place) for sign in ("$(", "`", "$RANDOM", "| read"))
        lost = value.startswith("/") and ":" not in value and not os.path.lexists(value)
        yield VariableFound(
            *(name, value, shown(place.file), place.line, others_told, computed, lost),
            diverts=diverting.get(name, ""),
        )


_PASSING = re.compile(
    r"PATH|SHLVL|PWD|OLDPWD|_|PS[0-4]|PROMPT.*|RPROMPT|BASH_XTRACEFD|COLUMNS|LINES|TERM|SHELL|HOME|USER|LOGNAME|SHELLOPTS|BASHOPTS"
    r"|SSH_.*|GPG_TTY|GPG_AGENT_INFO|DISPLAY|WAYLAND_DISPLAY|XAUTHORITY|DBUS_.*|XDG_(?:RUNTIME|SESSION|SEAT|VTNR|CURRENT).*"
    r"|TMUX.*|STY|WINDOWID|LS_COLORS|LESSOPEN|LESSCLOSE|debian_chroot|HIST.*|fish_.*|__.*|FPATH|MAIL|MAILCHECK"
)
"""Variables that belong to a session or a shell, and to no workstation."""
_SKELETON = Path("/etc/skel")


def _row(place: Place) -> str:
    rows = (content_of(Path(place.file)) or b"").decode("utf-8", "replace").splitlines()
    return rows[place.line - 1] if 0 < place.line <= len(rows) else ""


def _of_the_skeleton(place: Place, machine: Machine) -> bool:
    """Whether the line is one that every new home of this system has (useradd(8), SKEL)."""
    file = Path(place.file)
    if not file.is_relative_to(machine.locations.home):
        return False
    given = (content_of(_SKELETON / file.relative_to(machine.locations.home)) or b"").decode(
        "utf-8", "replace"
    )
    return _row(place) != "" and _row(place) in given.splitlines()


def _entries(path: Iterable[Origin], started: list[StartupTrace], machine: Machine) -> Iterable[EntryFound]:
    """What the person's own startup files put on PATH, each folder once."""
    seen: set[str] = set()
    system = set(machine.login_path.split(":"))
    paths = [trace.path.split(":") for trace in started]
    for entry in path:
        if entry.startup_file and _own(entry.startup_file, machine) and entry.path not in seen:
            seen.add(entry.path)
            there = next((p for p in paths if entry.path in p), [])
            place = there.index(entry.path) if entry.path in there else 0
            behind = bool(there) and any(each in system for each in there[:place])
            shown = machine.locations.shown
            yield EntryFound(
                shown(entry.path), shown(entry.startup_file), entry.line or 0, behind, entry.remark
            )


def _own(file: str, machine: Machine) -> bool:
    return Path(file).is_relative_to(machine.locations.home) and not Path(file).is_relative_to(
        machine.locations.data
    )


def _startup_files(machine: Machine) -> Iterable[StartupFileFound]:
    shown = machine.locations.shown
    around = machine.around
    here = {shell.name for shell in machine.shells}
    for name, shell in SHELLS.items():
        if name not in here:
            continue
        for reading in shell.reads(around):
            path, file = reading.file, machine.startup[reading.file]
            if (not reading.runs and file.content is None) or (
                reading.when == "hidden" and file.content is not None
            ):
                continue
            yield StartupFileFound(
                file=shown(path),
                shell=name,
                exists=file.content is not None,
                block=bool(marked_rows(lines_of(file.content or b""))),
                writable=file.writable,
                links_to=shown(file.target) if path.is_symlink() else "",
            )


def _answers(command: str, shell: str, path: str, machine: Machine, owners: Owners) -> Iterable[Answering]:
    for place, file in enumerate(answering(command, path)):
        yield Answering(command, shell, machine.locations.shown(file), owners.of(file), wins=place == 0)
