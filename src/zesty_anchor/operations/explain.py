"""Explaining a name: a command, a variable, a PATH entry, a file, a key of the manifest, a check or an exit
status.
"""

from __future__ import annotations

import difflib
import os
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path

from zesty_anchor.manifest import keys
from zesty_anchor.manifest.check import Check
from zesty_anchor.manifest.model import SYSTEM
from zesty_anchor.operations.trace import trace
from zesty_anchor.planning.agreement import is_free
from zesty_anchor.planning.choices import Choice, default_version
from zesty_anchor.planning.explained import Explained
from zesty_anchor.planning.look import look_at
from zesty_anchor.planning.project_variables import is_agreed_to, projects_around
from zesty_anchor.planning.traced import Traced
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.shells.known import SHELLS
from zesty_anchor.shells.reading import MARK
from zesty_anchor.survey.owner import Owners
from zesty_anchor.survey.startup.provenance import Origin
from zesty_anchor.system.exit_status import EXIT_STATUS
from zesty_anchor.system.problem import UsageProblem


def explain(workstation: Workstation, name: str, meanwhile: Callable[[], object] = lambda: None) -> Explained:
    """Explain a name. A whole number is an exit status, ``$NAME`` a variable, what has a slash a PATH entry
    or a file; else it is a runtime or a command of one, a check, a key of the manifest, a variable, a file in
    the current folder, a command of the system, in this order.

    Raises ``UsageProblem`` where it is nothing of these.
    """
    if name.isdecimal():
        return _status(name)
    if name.startswith("$"):
        return _variable(workstation, name[1:], meanwhile)
    if "/" in name or name == "~":
        return _path(workstation, name, meanwhile)
    commands = {
        word for runtime, recipe in workstation.recipes.items() for word in (runtime, *recipe.commands)
    }
    if name in commands:
        return _command(workstation, name, trace(workstation, name, meanwhile))
    for index, check in enumerate(workstation.manifest.checks):
        if check.name == name:
            return _check(workstation, check, index)
    if known := keys.find(name):
        return _key(workstation, name, known)
    own = name in workstation.manifest.variables or name in workstation.environ
    if own or any(_of_projects(workstation, name)):
        return _variable(workstation, name, meanwhile)
    if os.path.lexists(workstation.folder / name):
        return _path(workstation, name, meanwhile)
    traced = trace(workstation, name, meanwhile)
    if traced.answers:
        return _command(workstation, name, traced)
    raise _unknown(workstation, name, commands)


def needs_no_manifest(name: str) -> bool:
    """Whether the documentation alone explains a name: an exit status, or a key with its table."""
    return name.isdecimal() or ("." in name and bool(keys.find(name)))


def _unknown(workstation: Workstation, name: str, commands: set[str]) -> UsageProblem:
    every = {
        *commands,
        *(key.name for key in keys.every_key()),
        *(check.name for check in workstation.manifest.checks),
    }
    every |= {*workstation.manifest.variables, *workstation.environ}
    close = difflib.get_close_matches(name, sorted(every), 1)
    return UsageProblem(
        f"there is no command, variable, file, key or check called {name!r}",
        advice=(
            f"did you mean {close[0]!r}?" if close else "zesty-anchor survey shows what is on this machine"
        ),
    )


def _status(name: str) -> Explained:
    if int(name) not in EXIT_STATUS:
        known = ", ".join(map(str, EXIT_STATUS))
        raise UsageProblem(f"zesty-anchor never exits with {name}", advice=f"its exit statuses are {known}")
    return Explained(name, "status", (f"Exit status {name}: {EXIT_STATUS[int(name)]}",))


def _command(workstation: Workstation, name: str, traced: Traced) -> Explained:
    sentences: list[str] = []
    if traced.decided is not None:
        sentences += _version(workstation, name, traced.decided, traced)
    winning = [each for each in traced.answers if each.first_in]
    ours = [each for each in winning if each.ours and traced.decided is not None]
    if ours:
        where, every = _shells([pair for each in ours for pair in each.first_in], traced.asked)
        sentences.append(f"{where} {'runs' if every else 'run'} this version.")
    sentences += [_found(workstation, each, traced) for each in winning if each not in ours]
    if not winning:
        sentences.append(f"No new shell finds `{name}`.")
    hidden = [each for each in traced.answers if not each.first_in]
    sentences += [f"{_named(workstation, each)} is shadowed in every shell." for each in hidden]
    return Explained(name, "command", (" ".join(sentences),), f"zesty-anchor trace {name}")


def _version(workstation: Workstation, name: str, choice: Choice, traced: Traced) -> Iterator[str]:
    """Which version is active here, why, where it is, and which one it would be otherwise."""
    runtime, machine = choice.runtime, look_at(workstation)
    subject = f"`{name}`" if name == runtime else f"`{name}` is a command of {runtime}, which"
    if not choice.version:
        yield f"{subject} is not installed: {choice.decided_by} asks for it."
        return
    why = {
        "session": "this session chose it",
        "project": f"{choice.decided_by} pins it",
        "default": f"{choice.decided_by} makes it the default",
    }[choice.scope]
    own = next((each.version for each in traced.installs if not each.path.startswith("~/")), "")
    version = f"the system's own {own}".rstrip() if choice.version == SYSTEM else choice.version
    yield f"{subject} is {version} here because {why}."
    if choice.version != SYSTEM:
        yield (
            "It is installed in"
            f" {workstation.locations.shown(workstation.locations.shelf / runtime / choice.version)}."
        )
    if choice.scope != "default":
        default = default_version(workstation, runtime, machine)
        reason = workstation.decided_by_default()[runtime]
        otherwise = {"session": "this choice", "project": "the pin"}[choice.scope]
        yield f"Without {otherwise} it would be {default or 'no version'}, by {reason}."


def _found(workstation: Workstation, each: Origin, traced: Traced) -> str:
    where, every = _shells(each.first_in, traced.asked)
    by = _line(workstation, each)
    because = f", because of {by}." if by else "."
    return f"{where} {'runs' if every else 'run'} {_named(workstation, each)}{because}"


_WAYS = {
    "login, interactive": "interactive login",
    "command over ssh": "ssh command",
    "script, or command over ssh": "script or ssh command",
}
"""Ways of starting a shell, where a list of them would not be clear."""


def _shells(pairs: Sequence[tuple[str, str]], asked: Sequence[tuple[str, str]]) -> tuple[str, bool]:
    """Shells by name, as the subject of a sentence, and whether they are all that were asked. One that is
    meant only in some ways of starting it has those named. Pure.
    """
    if set(pairs) >= set(asked):
        return "Every new shell", True
    named = []
    for shell in dict.fromkeys(shell for shell, _ in pairs):
        ways = [_WAYS.get(way, way) for name, way in pairs if name == shell]
        whole = len(ways) == sum(name == shell for name, _ in asked)
        named.append(shell if whole else f"{shell} ({', '.join(ways)})")
    text = ", ".join(named[:-1]) + (" and " if named[1:] else "") + named[-1]
    return f"New shells of {text}", False


def _named(workstation: Workstation, each: Origin) -> str:
    shown = workstation.locations.shown(each.path)
    if each.kind not in ("file", "launcher"):
        return f"the {each.kind} `{shown}`"
    return f"{shown} ({each.owner})" if each.owner and not each.owner.startswith("unknown") else shown


def _line(workstation: Workstation, each: Origin) -> str:
    if each.startup_file is None:
        return "the manifest" if each.ours else ""
    return workstation.locations.shown(each.startup_file) + (f":{each.line}" if each.line else "")


def _variable(workstation: Workstation, name: str, meanwhile: Callable[[], object]) -> Explained:
    traced = trace(workstation, f"${name}", meanwhile)
    sentences = []
    if name in workstation.manifest.variables:
        place = workstation.locations.shown(workstation.place("variables", name))
        sentences.append(f"`{name}` is set by {place}.")
    for each in traced.answers:
        where, every = _shells(each.first_in, traced.asked)
        by = "" if each.ours else _line(workstation, each)
        set_by = f", set by {by}." if by else "."
        sentences.append(f"{where} {'has' if every else 'have'} `{name}={each.path}`{set_by}")
    if not traced.answers:
        sentences.append(f"No new shell has the variable `{name}`.")
    sentences += _of_projects(workstation, name)
    here = workstation.environ.get(name)
    if here is not None and all(each.path != here for each in traced.answers):
        sentences.append(f"In the shell that you called from it is `{here}`.")
    return Explained(f"${name}", "variable", (" ".join(sentences),), f"zesty-anchor trace '${name}'")


def _of_projects(workstation: Workstation, name: str) -> Iterator[str]:
    """What the projects around the current folder set a variable to, the nearest first."""
    locations = workstation.locations
    for sets in projects_around(workstation):
        for each in sets.variables:
            if each.name == name:
                place = f"{locations.shown(sets.file)}:{each.line}"
                yield (
                    f"In this folder it is `{name}={each.value}`, by {place}."
                    if is_agreed_to(sets, locations)
                    else f"{place} sets it too, once you allow it: zesty-anchor projects --trust"
                    f" {locations.shown(sets.file.parent)}"
                )


def _path(workstation: Workstation, name: str, meanwhile: Callable[[], object]) -> Explained:
    """A PATH entry, or a file."""
    home, shown = workstation.locations.home, workstation.locations.shown
    path = Path(
        os.path.abspath(
            workstation.folder / name.replace("~", str(home), 1)
            if name.startswith("~")
            else workstation.folder / name
        )
    )
    traced = trace(workstation, "PATH", meanwhile)
    entries = [each for each in traced.answers if os.path.abspath(each.path) == str(path)]
    sentences = []
    for each in entries:
        shells = tuple(dict.fromkeys((*each.wins_in, *each.hidden_in)))
        every = set(shells) >= {shell for shell, _ in traced.asked}
        by = _line(workstation, each)
        sentences.append(
            f"{shown(path)} is on PATH in {'every new shell' if every else ', '.join(shells)}"
            + (f", because of {by}." if by else ".")
        )
        sentences += [f"Note: {each.remark}."] if each.remark else []
    sentences += _file(workstation, path)
    if not os.path.lexists(path):
        sentences.append(f"{shown(path)} does not exist.")
    return Explained(
        shown(path),
        "entry" if entries else "file",
        (" ".join(sentences),),
        "zesty-anchor trace PATH" if entries else "",
    )


def _file(workstation: Workstation, path: Path) -> Iterator[str]:
    """Who reads a file, who owns it, and which of its lines are ours."""
    machine, shown = look_at(workstation), workstation.locations.shown
    for shell in machine.shells:
        readings = [each for each in SHELLS[shell.name].reads(machine.places) if each.file == path]
        if readings:
            yield (
                f"{shell.name} reads {shown(path)} ({', '.join(each.when for each in readings)};"
                f" {readings[0].source})."
            )
    if os.path.lexists(path):
        owner = Owners(machine).of(str(path))
        if owner != "unknown" and not owner.startswith("the folder "):
            yield f"It belongs to {owner}."
    if path in machine.startup:
        rows = [
            n
            for n, row in enumerate(
                (machine.startup[path].content or b"").decode("utf-8", "replace").splitlines(), 1
            )
            if MARK in row
        ]
        yield from (
            f"Line {number} is managed by zesty-anchor; it loads the generated file." for number in rows
        )


def _key(workstation: Workstation, name: str, known: Sequence[keys.Key]) -> Explained:
    return Explained(
        name, "key", tuple(_about(workstation, name, key) for key in known), "zesty-anchor schema"
    )


def _about(workstation: Workstation, name: str, key: keys.Key) -> str:
    sentences = [f"`{key.name}` ({key.type}): {key.meaning}"]
    if key.required:
        sentences.append("It is required.")
    elif key.default:
        sentences.append(f"Its default is `{key.default}`.")
    if key.example:
        sentences.append(f"Example: `{key.path[-1]} = {key.example}`.")
    if is_free(key.name):
        sentences.append("You are not asked to agree to it, unless the recipe is not a shipped one.")
    return " ".join((*sentences, *_set_at(workstation, name, key)))


def _set_at(workstation: Workstation, name: str, key: keys.Key) -> Iterator[str]:
    """The lines of the manifest that set a key."""
    asked = tuple(name.split("."))
    whole = len(asked) == len(key.path)
    for path in _paths(workstation.source.tables, key.path, ()):
        names = tuple(str(part) for part in path if not isinstance(part, int))
        if whole and any(p not in ("NAME", a) and a != p for p, a in zip(names, asked, strict=True)):
            continue
        yield f"It is set at {workstation.locations.shown(workstation.place(*path))}."


def _paths(
    part: object, path: Sequence[str], before: tuple[str | int, ...]
) -> Iterator[tuple[str | int, ...]]:
    """Where a key stands in a document, with the names and numbers in the place of NAME and of lists."""
    if not path:
        yield before
    elif isinstance(part, list):
        for number, each in enumerate(part):
            yield from _paths(each, path, (*before, number))
    elif isinstance(part, dict):
        for each in list(part) if path[0] == "NAME" else [path[0]]:
            if each in part:
                yield from _paths(part[each], path[1:], (*before, each))


def _check(workstation: Workstation, check: Check, index: int) -> Explained:
    place = workstation.locations.shown(workstation.place("checks", index))
    what = next(
        f"{key} `{value}`"
        for key in ("run", "file", "port", "url")
        if (value := getattr(check, key)) is not None
    )
    shells = (
        f"in {', '.join(check.shells)}"
        if check.shells
        else "in one new shell"
        if check.once
        else "in every new shell"
    )
    sentences = [f"`{check.name}` is a check of {place}."]
    sentences.append(f"`verify` tests {what}" + (f" {shells}." if check.run is not None else "."))
    sentences += [
        f"{rule} `{value}`." for key, rule in _RULES.items() if (value := getattr(check, key)) is not None
    ]
    return Explained(
        check.name, "check", (" ".join(sentences),), f"zesty-anchor verify --only '{check.name}'"
    )


_RULES = {
    "expect": "What it finds must match the glob",
    "match": "What it finds must contain a match of",
    "error": "Its error output must match the glob",
    "status": "Its status must be",
}
