"""Where a command, a variable or an entry of PATH comes from: asked of new shells, with the line that
brought it.
"""

from __future__ import annotations

import os
import re
from collections.abc import Callable, Iterable, Iterator, Sequence
from functools import partial
from pathlib import Path

import msgspec

from zesty_anchor.files.text_file import TextFile, content_of
from zesty_anchor.shells.known import SH, SHELLS
from zesty_anchor.shells.litter import make_folders, unlittered
from zesty_anchor.shells.reading import MARK, Context
from zesty_anchor.shells.sealed import World, in_copy
from zesty_anchor.shells.together import Interrupted, together
from zesty_anchor.survey.machine import InstalledShell, Machine, generated_file
from zesty_anchor.survey.owner import Owners
from zesty_anchor.survey.startup import fish_variables
from zesty_anchor.survey.startup.ready import takes_commands
from zesty_anchor.survey.startup.startup_trace import StartupTrace, trace_startup
from zesty_anchor.survey.startup.step import Place
from zesty_anchor.system.namespaces import Closed


class Origin(msgspec.Struct, frozen=True):
    """One thing with the name that was asked for: ``kind`` is alias, function, builtin, file, launcher,
    variable or entry. ``path`` is the file, else the definition or value. ``owner`` is who put it there,
    ``startup_file`` and ``line`` the line that adds it. ``wins`` means that it is first in some shell,
    ``wins_in`` in which, ``hidden_in`` where another one is before it; ``first_in`` has the former as
    pairs of a shell and a way of starting it. ``remark`` says what is wrong with it. ``ours`` means that
    a generated file adds it.
    """

    path: str
    kind: str
    owner: str
    startup_file: str | None
    line: int | None
    wins: bool
    wins_in: tuple[str, ...] = ()
    hidden_in: tuple[str, ...] = ()
    remark: str = ""
    ours: bool = False
    first_in: tuple[tuple[str, str], ...] = ()


class Found(msgspec.Struct, frozen=True):
    """One thing that answers in one start: see ``Origin``. ``ours`` tells that one of our generated files
    brought it: which line of that, nobody needs to know.
    """

    path: str
    kind: str
    place: Place | None
    ours: bool = False
    remark: str = ""


def traces(
    machine: Machine,
    shells: Iterable[str] | None = None,
    asked: Iterable[str] | None = None,
    meanwhile: Callable[[], object] | None = None,
) -> list[StartupTrace]:
    """The start of every shell here, or of those named, in each way of starting it, eight at a time.
    ``asked`` are the commands that are asked about (None: any); ``meanwhile`` is what can be done as long as
    they start.
    """
    commands = None if asked is None else tuple(asked)
    names = None if shells is None else set(shells)
    used = [shell for shell in machine.shells if names is None or shell.name in names]
    rounds = [(shell, context) for shell in used for context in SHELLS[shell.name].contexts]

    def task(home: Path) -> list[StartupTrace]:
        make_folders(path for shell in used for path in SHELLS[shell.name].folders(machine.places))
        return together(8, partial(_traced, machine, commands), rounds)

    try:
        return in_copy(World(machine.locations.home, _without_prompt(machine)), task, meanwhile)[0]
    except Closed:
        leaves = [path for shell in used for path in SHELLS[shell.name].leaves(machine.around)]
        with unlittered(leaves, machine.locations.state):
            return task(machine.locations.home)


def _traced(
    machine: Machine,
    commands: tuple[str, ...] | None,
    each: tuple[InstalledShell, Context],
    interrupted: Interrupted,
) -> StartupTrace:
    """The start of one shell. Telling each step can take far longer than the start itself: one that was cut
    off, and comes to its first command without being traced, gets more time.
    """
    shell, context = each
    found = trace_startup(shell, context, machine, names=commands, interrupted=interrupted)
    if not found.cut_off or found.landed or not found.steps or not takes_commands(shell, context, machine):
        return found
    longer = trace_startup(
        shell, context, machine, names=commands, seconds=_LONGER_SECONDS, interrupted=interrupted
    )
    return longer if not longer.cut_off else msgspec.structs.replace(longer, only_slow=True)


_LONGER_SECONDS = 30.0


def _without_prompt(machine: Machine) -> dict[Path, bytes]:
    """The startup files that set PS4, without that: by it the shells tell what they do."""
    files = (file for file in machine.startup.values() if b"PS4" in (file.content or b""))
    return {file.path: re.sub(rb"\bPS4=", b"PS9=", file.content or b"") for file in files}


def origins(name: str, started: Iterable[StartupTrace], machine: Machine, owners: Owners) -> list[Origin]:
    """All that answers to ``name``: a command, ``$NAME`` for a variable, or ``PATH`` for its entries.

    The first in more shells comes first.
    """
    return origins_of((name,), list(started), machine, owners)[name]


def origins_of(
    names: Iterable[str], started: Sequence[StartupTrace], machine: Machine, owners: Owners
) -> dict[str, list[Origin]]:
    """The same of several names, whose owners are asked about together."""
    merged = {name: _merged(name, started, machine) for name in names}
    owners.ask(found.path for each in merged.values() for found in each if _has_owner(found, machine))
    asked: dict[str, list[str]] = {}
    for trace in started:
        asked.setdefault(trace.shell, []).append(trace.context)
    return {name: _listed(name, each, asked, machine, owners) for name, each in merged.items()}


_Merged = dict[Found, tuple[list[str], list[str]]]
"""What answers, with the starts in which it wins and those in which it is hidden: ``SHELL\\0CONTEXT`` each.
"""


def _merged(name: str, started: Iterable[StartupTrace], machine: Machine) -> _Merged:
    merged: _Merged = {}
    for trace in started:
        if trace.cut_off:
            continue  # what it had is not known
        for number, found in enumerate(found_in(name, trace, machine)):
            wins = number == 0 or name == "PATH"
            merged.setdefault(found, ([], []))[0 if wins else 1].append(f"{trace.shell}\0{trace.context}")
    return merged


def _listed(
    name: str, merged: _Merged, asked: dict[str, list[str]], machine: Machine, owners: Owners
) -> list[Origin]:
    listed = [
        Origin(
            path=found.path,
            kind=found.kind,
            owner=owners.of(found.path) if _has_owner(found, machine) else "",
            startup_file=found.place.file if found.place else None,
            line=found.place.line or None if found.place else None,
            wins=bool(wins),
            wins_in=_summed(wins, asked),
            hidden_in=_summed(hidden, asked),
            remark=found.remark,
            ours=found.ours,
            first_in=tuple((each.partition("\0")[0], each.partition("\0")[2]) for each in wins),
        )
        for found, (wins, hidden) in merged.items()
    ]
    return listed if name == "PATH" else sorted(listed, key=lambda o: not o.wins)


def found_in(name: str, trace: StartupTrace, machine: Machine) -> Iterator[Found]:
    """All that answers to ``name`` in one start, in the order in which the shell looks; see ``origins``."""
    return (_without_ours(each, machine) for each in _of(name, trace, machine))


def _has_owner(found: Found, machine: Machine) -> bool:
    """Whether somebody owns it: a file does; a folder on PATH counts only where it is not the system's."""
    if found.kind == "entry":
        return Path(found.path).is_relative_to(machine.locations.home)
    return found.kind in ("file", "launcher")


def _without_ours(found: Found, machine: Machine) -> Found:
    file = Path(found.place.file) if found.place else None
    generated = [each.path for each in machine.generated.values()]
    if file is None or found.place is None:
        return found
    if not (
        file.is_relative_to(machine.locations.data) or file in generated or _is_our_line(found.place, machine)
    ):
        return found
    return msgspec.structs.replace(found, place=None, ours=True)


def _is_our_line(place: Place, machine: Machine) -> bool:
    """Whether it is the one line of a startup file that reads our file."""
    held = machine.startup.get(Path(place.file))
    rows = (held.content or b"").splitlines() if isinstance(held, TextFile) else []
    return 0 < place.line <= len(rows) and rows[place.line - 1].rstrip().endswith(MARK.encode())


def _of(name: str, trace: StartupTrace, machine: Machine) -> Iterator[Found]:
    if name == "PATH":
        yield from _entries(trace, machine)
    elif name.startswith("$"):
        value = trace.variables.get(name[1:])
        if value is not None:
            yield Found(value, "variable", _place_of_variable(name[1:], value, trace, machine))
    else:
        yield from _of_command(name, trace, machine)


def _of_command(name: str, trace: StartupTrace, machine: Machine) -> Iterator[Found]:
    """In the order in which a shell looks (POSIX.1-2017, XCU 2.3.1 and 2.9.1.1)."""
    interactive = "interactive" in trace.context or SHELLS[trace.shell].aliases_always
    if interactive and name in trace.aliases:
        value = trace.aliases[name]
        place = trace.of_alias(name) or _defined(name, trace, machine) or _written(value, trace, machine)
        yield Found(value, "alias", place)
    if name in trace.functions:
        place = trace.functions[name] or trace.of_alias(name)
        yield Found(name, "function", _with_line(name, place) or _written(name, trace, machine))
    if name in trace.builtins:
        yield Found(name, "builtin", None)
    seen: set[str] = set()
    place = trace.of_hash(name) if name in trace.hashed else None
    if place is not None and os.access(trace.hashed[name], os.X_OK):
        seen.add(os.path.realpath(trace.hashed[name]))
        yield Found(trace.hashed[name], "file", place)
    for folder in trace.path.split(":"):
        file = os.path.join(folder, name) if folder else ""
        if not (file and os.access(file, os.X_OK) and os.path.isfile(file)):
            continue
        real = os.path.join(os.path.realpath(folder), name)  # /bin is /usr/bin on most systems
        if real not in seen:
            seen.add(real)
            kind = "launcher" if Path(folder) == machine.locations.launchers else "file"
            yield Found(file, kind, _place_of_entry(folder, trace, machine))


def _entries(trace: StartupTrace, machine: Machine) -> Iterator[Found]:
    seen: set[str] = set()
    for entry in trace.path.split(":"):
        remark = "twice" if entry in seen else "" if os.path.isdir(entry or ".") else "not there"
        place = trace.of_path_entry(entry, 2) if entry in seen else _place_of_entry(entry, trace, machine)
        seen.add(entry)
        yield Found(entry or "(the current folder)", "entry", place, remark=remark)


def _place_of_entry(entry: str, trace: StartupTrace, machine: Machine) -> Place | None:
    if entry in machine.login_path.split(":"):
        return None
    place = trace.of_path_entry(entry) or _universal(lambda name, value: value == entry, trace, machine)
    return place or (_written(entry, trace, machine) if _silent(trace) else None)


def _place_of_variable(name: str, value: str, trace: StartupTrace, machine: Machine) -> Place | None:
    place = trace.of_variable(name) or _universal(lambda called, _: called == name, trace, machine)
    return place or (_written(name, trace, machine) if _silent(trace) else None)


def _universal(speaks: Callable[[str, str], bool], trace: StartupTrace, machine: Machine) -> Place | None:
    """The line of a universal variable that says something, where the shell is one that has such."""
    for path in (reading.file for reading in SHELLS[trace.shell].reads(machine.around) if not reading.runs):
        for variable in fish_variables.universal_variables(machine.startup[path].content or b""):
            if any(speaks(variable.name, value) for _, value in variable.entries):
                return Place(str(path), variable.line)
    return None


def _silent(trace: StartupTrace) -> bool:
    """Whether the shell does not tell in which file it is."""
    return not any(step.file and step.line for step in trace.steps)


def _defined(name: str, trace: StartupTrace, machine: Machine) -> Place | None:
    """The last line of the files that this shell reads which defines an alias; where it tells none."""
    pattern = re.compile(rf"\s*alias\s+(?:--\s+)?{re.escape(name)}[\s=]")
    found = None
    for path in (reading.file for reading in SHELLS[trace.shell].reads(machine.around)):
        file = machine.startup.get(path)
        rows = ((file.content if file else None) or b"").decode("utf-8", "replace").splitlines()
        lines = [number for number, row in enumerate(rows, 1) if pattern.match(row)]
        found = Place(str(path), lines[-1]) if lines else found
    return found


def _written(what: str, trace: StartupTrace, machine: Machine) -> Place | None:
    """The first line of a file that this shell reads which speaks of something; for shells that do not tell
    more.
    """
    home = str(machine.locations.home)
    read = {step.file for step in trace.steps if step.file}
    readings = [reading.file for reading in SHELLS[trace.shell].reads(machine.around)]
    ours = [generated_file(machine.locations, name) for name in (trace.shell, SH)]
    for path in (*readings, *(Path(file) for file in sorted(read)), *ours):
        file = machine.startup.get(path)
        content = file.content if isinstance(file, TextFile) else content_of(path)
        for number, row in enumerate((content or b"").decode("utf-8", "replace").splitlines(), 1):
            plain = re.sub(r"~(?=/)|\$HOME|\$\{HOME\}", lambda _: home, row)
            if not row.lstrip().startswith("#") and re.search(
                rf"(?<![\w/]){re.escape(what)}(?![\w/])", plain
            ):
                return Place(str(path), number)
    return None


def _with_line(name: str, place: Place | None) -> Place | None:
    """A function's place with its line, where the shell told only the file."""
    if place is None or place.line:
        return place
    pattern = re.compile(rf"^\s*(?:function\s+)?{re.escape(name)}\s*(?:\(\)|\{{)")
    rows = content_of(Path(place.file)).decode("utf-8", "replace").splitlines()
    return Place(place.file, next((n for n, row in enumerate(rows, 1) if pattern.search(row)), 0))


def _summed(where: list[str], asked: dict[str, list[str]]) -> tuple[str, ...]:
    """Shells; with the ways of starting them, where it is not all."""
    contexts: dict[str, set[str]] = {}
    for each in where:
        shell, _, context = each.partition("\0")
        contexts.setdefault(shell, set()).add(context)
    return tuple(_ways(shell, found, asked[shell]) for shell, found in contexts.items())


def _ways(shell: str, found: set[str], asked: list[str]) -> str:
    interactive = {context for context in asked if "interactive" in context}
    if found == set(asked):
        return shell
    if found == interactive:
        return f"{shell} interactive"
    if found == set(asked) - interactive:
        return f"{shell} not interactive"
    return f"{shell} ({'; '.join(context for context in asked if context in found)})"
