"""The answers to projects' pins, as the shells read them: a file for each pin file, with that one's time of
change.
"""

from __future__ import annotations

import os
import shlex
from collections.abc import Sequence
from pathlib import Path

from zesty_anchor.files import own_folders
from zesty_anchor.files.replace import replace
from zesty_anchor.manifest.read import FILE_NAME
from zesty_anchor.planning.choices import Chooser, Missing
from zesty_anchor.planning.project_variables import ProjectSets, is_agreed_to, project_sets
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.shells.known import SHELLS, following
from zesty_anchor.shells.launch import NOT_INSTALLED
from zesty_anchor.system.locations import Locations

_MOST_NAMED = 3
_NEXT = "install it with: zesty-anchor provision"


def write_answers(chooser: Chooser, workstation: Workstation, files: Sequence[Path]) -> None:
    """Write what each file's pins were resolved to, with the file's time of change.

    An answer's first line holds words ``NAME=VERSION`` (with ``~`` before a requirement's) and ends in ``;``,
    the second the same words apart, and the others are messages: ``- NAME TEXT``. A ``!`` says that
    there are some, and ``@DIGEST`` names the variables that the project sets.
    """
    pins = workstation.locations.pins
    own_folders.make(pins)
    for file in files:
        try:
            state = file.stat()
        except OSError:
            continue
        answer = pins / f"{str(file)[1:]}="
        answer.parent.mkdir(parents=True, exist_ok=True)
        text = _answer(chooser, workstation, file).encode("utf-8", "surrogateescape")
        replace(answer, text, lasting=False, times_ns=(state.st_atime_ns, state.st_mtime_ns))


def renew_answers(chooser: Chooser, workstation: Workstation) -> None:
    """Write those anew that are there, since the shelf has changed; those of files that are gone go."""
    pins, kept = workstation.locations.pins, []
    for root, _, found in os.walk(pins):
        for name in found:
            file = Path("/", os.path.relpath(root, pins), name[:-1])
            if name.endswith("=") and file.is_file():
                kept.append(file)
            elif name.endswith("="):
                Path(root, name).unlink()
    if kept:
        write_answers(chooser, workstation, kept)


def _answer(chooser: Chooser, workstation: Workstation, file: Path) -> str:
    shown = workstation.locations.shown(file)
    words, said = [], []
    for pin in chooser.read(file):
        version = chooser.version(pin)
        if version:
            words.append((("~" if pin.requirement else "") + pin.runtime, version))
        elif pin.runtime in workstation.recipes or pin.wrong:
            said.append(f"- {pin.runtime or '?'} {_message(Missing(pin, file), shown)}")
        elif file.name == FILE_NAME:
            told = f"{shown}:{pin.line} pins {pin.runtime}, which is not in the manifest"
            said.append(f"- {pin.runtime} zesty-anchor: {told}")
    sets = project_sets(file)
    own = [f"@{sets.digest}"] if sets.variables and is_agreed_to(sets, workstation.locations) else []
    said += [f"- {each.name} zesty-anchor: {shown}:{each.line} {each.wrong}" for each in sets.wrong]
    if own:
        _write_variables(sets, workstation.locations)
    elif sets.variables:
        said.append(f"- @ {_untrusted(sets, shown)}")
    if len(said) > 1:  # entering a folder prints one line
        said = [f"{said[0]}; and {len(said) - 1} more: zesty-anchor list"]
    mark = ["!"] if said else []
    first = " ".join([*(f"{name}={version}" for name, version in words), *own, *mark, ";"])
    second = " ".join([*(f"{name} {version}" for name, version in words), *own, *mark])
    return "".join(f"{line}\n" for line in (first, second, *said))


def _untrusted(sets: ProjectSets, shown: str) -> str:
    """That the variables of a project are not set, and what allows it."""
    names = ", ".join(each.name for each in sets.variables[:_MOST_NAMED])
    more = ", …" if len(sets.variables) > _MOST_NAMED else ""
    if sets.hands:
        return f"zesty-anchor: {shown} sets {names}{more}, and is not used: {sets.hands}"
    folder = shlex.quote(str(sets.file.parent))
    return f"zesty-anchor: {shown} sets {names}{more}; to allow it: zesty-anchor projects --trust {folder}"


def _write_variables(sets: ProjectSets, locations: Locations) -> None:
    """Write them in the languages of the shells that follow the folder."""
    folder = locations.project_variables
    own_folders.make(folder)
    for name in dict.fromkeys(SHELLS[each].variables_file for each in following()):
        shell = next(SHELLS[each] for each in following() if SHELLS[each].variables_file == name)
        text = "".join(f"za__set {each.name} {shell.quote(each.value)}\n" for each in sets.variables)
        replace(folder / f"{sets.digest}{name}", text.encode("utf-8", "surrogateescape"), lasting=False)


def _message(missing: Missing, shown: str) -> str:
    """One quiet line about a pin that cannot be followed."""
    pin = missing.pin
    if pin.wrong:
        text = f"zesty-anchor: {shown}:{pin.line} {pin.wrong}"
    else:
        verb = "requires" if pin.requirement else "wants"
        text = f"zesty-anchor: {shown}:{pin.line} {verb} {pin.runtime} {pin.want}{NOT_INSTALLED}; {_NEXT}"
    return "".join(letter if letter.isprintable() else "?" for letter in text)
