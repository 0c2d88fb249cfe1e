"""What is wrong with PATH: entries that anybody may fill, that lead nowhere, that hide the system's
commands.
"""

from __future__ import annotations

import os
import shlex
from collections.abc import Iterable, Iterator, Mapping
from pathlib import Path

from zesty_anchor.manifest.recipe import Recipe
from zesty_anchor.survey.findings import Trouble
from zesty_anchor.survey.installs import held
from zesty_anchor.survey.machine import Machine
from zesty_anchor.survey.startup.provenance import Origin
from zesty_anchor.survey.startup.startup_trace import StartupTrace
from zesty_anchor.system.ownership import others_may_write

_CURRENT = "(the current folder)"
_MOST_NAMES = 5
_INSTALLS = (".", "opt", ".local/opt", "tools", "apps", ".local/share")


def path_troubles(
    entries: Iterable[Origin], started: Iterable[StartupTrace], machine: Machine
) -> Iterator[Trouble]:
    """What stands on PATH in new shells and should not, each with the line that put it there."""
    shown = machine.locations.shown
    for entry in entries:
        place = (shown(entry.startup_file), entry.line or 0) if entry.startup_file else ("PATH", 0)
        shells = (*entry.wins_in, *entry.hidden_in)
        if entry.path in (_CURRENT, ".") or not entry.path.startswith("/"):
            what = (
                f"{entry.path if entry.path != _CURRENT else 'an empty entry'} is on PATH, so commands in the"
                " current folder are run"
            )
            own = not entry.startup_file or entry.startup_file.startswith(f"{machine.locations.home}/")
            fix = (
                "take it out of that line; [path] first holds your own folders"
                if own
                else "the file belongs to the system: set PATH in a startup file of your own"
            )
            yield Trouble(*place, what, shells, fix, weight=100)
            continue
        why = _writable_by_others(Path(entry.path))
        if why:
            yield Trouble(
                *place,
                f"{shown(entry.path)} is on PATH, and {why}",
                shells,
                f"chmod go-w {shlex.quote(entry.path)}",
                weight=95,
            )
        if not entry.startup_file:
            continue
        if entry.remark == "twice":
            fix = "take the entry out of this line: an earlier one has put it there"
            yield Trouble(*place, f"{shown(entry.path)} is on PATH twice", shells, fix, weight=10)
        elif entry.remark:
            what = f"{shown(entry.path)} is on PATH but does not exist"
            yield Trouble(
                *place, what, shells, f'[[conflicts.remove]] path = "{shown(entry.path)}"', weight=30
            )
        else:
            yield from _hiding(entry, place, shells, started, machine)


def _writable_by_others(folder: Path) -> str:
    """Whose hands it is in besides the person's and root's; empty for nobody else's."""
    try:
        state = folder.stat()
    except OSError:
        return ""
    if state.st_uid not in (0, os.geteuid()):
        return f"belongs to another user (number {state.st_uid})"
    others = others_may_write(state)
    return f"{others} may write into it" if others else ""


def _hiding(
    entry: Origin,
    place: tuple[str, int],
    shells: tuple[str, ...],
    started: Iterable[StartupTrace],
    machine: Machine,
) -> Iterator[Trouble]:
    """Commands of the person's that stand before the system's of the same name."""
    folder = Path(entry.path)
    if not folder.is_relative_to(machine.locations.home) or folder.is_relative_to(machine.locations.data):
        return
    system = [each for each in machine.login_path.split(":") if each.startswith("/")]
    paths = [trace.path.split(":") for trace in started if entry.path in trace.path.split(":")]
    before = [
        each for each in system if any(each in p and p.index(entry.path) < p.index(each) for p in paths)
    ]
    try:
        mine = {name for name in os.listdir(folder) if os.access(folder / name, os.X_OK)}
    except OSError:
        return
    hidden = sorted(name for name in mine if any(os.path.isfile(os.path.join(each, name)) for each in before))
    if hidden:
        names = ", ".join(hidden[:_MOST_NAMES]) + (", …" if len(hidden) > _MOST_NAMES else "")
        what = f"{machine.locations.shown(folder)} shadows the system's {names}"
        yield Trouble(*place, what, shells, f"zesty-anchor trace {hidden[0]}", weight=20)


def unused_installs(
    recipes: Mapping[str, Recipe], entries: Iterable[Origin], machine: Machine
) -> Iterator[Trouble]:
    """Installs of known runtimes in the home that stand on no PATH and that no startup file speaks of."""
    home = machine.locations.home
    on_path = {os.path.realpath(entry.path) for entry in entries}
    texts = b"".join(file.content or b"" for file in machine.startup.values())
    for folder in _candidates(home):
        if os.fsencode(folder.name) in texts or folder.is_relative_to(machine.locations.data):
            continue
        for runtime, recipe in recipes.items():
            command = recipe.commands[0]
            if (
                not os.access(folder / "bin" / command, os.X_OK)
                or os.path.realpath(folder / "bin") in on_path
            ):
                continue
            found = held(folder, recipe.commands, (runtime, *recipe.commands), ())
            if not found.more:
                shown = machine.locations.shown(folder)
                what = f"{shown} is an install of {runtime} that nothing uses ({found.told()})"
                yield Trouble(shown, 0, what, (), f'[[conflicts.remove]] path = "{shown}"', weight=5)
                break


def _candidates(home: Path) -> Iterator[Path]:
    for part in _INSTALLS:
        top = home / part
        if top.is_dir():
            yield from (Path(entry.path) for entry in os.scandir(top) if entry.is_dir(follow_symlinks=False))
