"""What startup files say of an old install, and which of it can be cut."""

from __future__ import annotations

import functools
import os
from collections.abc import Callable, Iterable, Sequence
from pathlib import Path
from typing import Any

import msgspec

from zesty_anchor.files.text_file import TextFile
from zesty_anchor.shells.known import SHELLS
from zesty_anchor.shells.sh_tree import parsed
from zesty_anchor.shells.syntax import passes
from zesty_anchor.survey.machine import Machine
from zesty_anchor.survey.startup import fish_variables
from zesty_anchor.survey.startup.csh_statements import csh_statements_about
from zesty_anchor.survey.startup.fish_statements import fish_statements_about
from zesty_anchor.survey.startup.places import Known, Places, other_spellings, outermost
from zesty_anchor.survey.startup.statement import Statement
from zesty_anchor.survey.startup.statements import statements_about
from zesty_anchor.survey.startup.trial import Found, Noise, judged

_LONG = 100_000
"""As many bytes take longer to look through than a shell to start."""
_OF_CSH = (".tcshrc", ".cshrc", ".login", ".logout")


class Spoken(msgspec.Struct, frozen=True):
    """What a startup file holds of old installs: the statements found; those that serve can be cut. ``name``
    is the file as a person reads it, ``checker`` the shell that reads it, with its option that only reads.
    """

    file: TextFile
    name: str
    statements: tuple[Statement, ...]
    checker: tuple[str, str] | None


class Speech(msgspec.Struct, frozen=True):
    """What startup files hold of old installs, and what keeps using one of them whichever statements go."""

    spoken: tuple[Spoken, ...]
    noise: tuple[Noise, ...] = ()


def removable(
    folders: Iterable[Path], names: Iterable[str], machine: Machine
) -> tuple[tuple[Path, ...], dict[Path, tuple[str, ...]]]:
    """Of the folders that are to go those that can, without those inside others, and the rest with what would
    be printed, or fail at a prompt, without them.
    """
    going, kept = outermost(folders), dict[Path, tuple[str, ...]]()
    while going:
        noise = speech_of(going, names, machine).noise
        loud = {
            folder: tuple(each.told for each in noise if Path(each.folder).resolve() == folder.resolve())
            for folder in going
        }
        loud = {folder: told for folder, told in loud.items() if told}
        if not loud:
            break
        kept |= loud
        going = tuple(folder for folder in going if folder not in loud)
    return going, kept


def spoken_of(folders: Iterable[Path], names: Iterable[str], machine: Machine) -> list[Spoken]:
    """The statements of ``speech_of``."""
    return list(speech_of(folders, names, machine).spoken)


def speech_of(folders: Iterable[Path], names: Iterable[str], machine: Machine) -> Speech:
    """The statements of every startup file that speak of folders, files or variables that are to go, judged
    by new shells in a copy of the home. Those are asked once for the same files.
    """
    folders, names = tuple(folders), tuple(names)
    files = judged_files(folders, machine)
    texts = {file.path: file.content for file in files if file.content is not None}
    key = ("spoken", folders, names, tuple(sorted(texts.items())))
    if key not in machine.remembered:
        machine.remembered[key] = _spoken(folders, names, files, texts, machine)
    known: Speech = machine.remembered[key]
    return known


def _spoken(
    folders: tuple[Path, ...],
    names: tuple[str, ...],
    files: list[TextFile],
    texts: dict[Path, bytes],
    machine: Machine,
) -> Speech:
    home = machine.locations.home
    places = Places(home, folders, names, other_spellings(folders, home))
    parse = functools.cache(parsed)  # each file is read twice: once for what it sets, once with what all set

    def find() -> Found:
        known = _known(files, places, machine, parse)
        about = {
            file.path: _about(file, places, dict(known), machine, parse) for file in files if file.content
        }
        parse.cache_clear()  # a hundred times the text: not to be held as long as shells start
        return {path: statements for path, statements in about.items() if statements}

    speaking = [
        path for path, content in texts.items() if places.may_speak(os.fsdecode(content), places.known)
    ]
    long = sum(len(texts[path]) for path in speaking) > _LONG
    answer = judged(find, texts, places, folders, machine, speaking if long else ())
    by_path = {file.path: file for file in files}
    spoken = [
        Spoken(
            by_path[path], machine.locations.shown(path), tuple(statements), _checker(by_path[path], machine)
        )
        for path, statements in answer.found.items()
    ]
    return Speech(tuple(spoken), answer.noise)


def _known(
    files: Iterable[TextFile], places: Places, machine: Machine, parse: Callable[[bytes], Any]
) -> Known:
    """The variables that lead there wherever they are set: each file may read what another one has set."""
    texts = {file.path: (file, os.fsdecode(file.content)) for file in files if file.content}
    known = dict(places.known)
    waiting = {path for path, (_, text) in texts.items() if places.may_speak(text, known)}
    while waiting:
        fresh: dict[str, Path] = {}
        for path in sorted(waiting):
            mine = dict(known)
            _about(texts[path][0], places, mine, machine, parse)
            fresh |= {name: path for name in mine if name not in known and name not in fresh}
            known |= {name: value for name, value in mine.items() if name not in known}
        # What a file sets, it finds itself.
        waiting = {
            path
            for path, (_, text) in texts.items()
            if any(name in text and path != by for name, by in fresh.items())
        }
    return known


def judged_files(folders: Sequence[Path], machine: Machine) -> list[TextFile]:
    """The startup files, and those that they read in their turn, but for what goes itself."""
    sourced = dict(machine.sourced)
    for path in [path for path in sourced if any(path.is_relative_to(folder) for folder in folders)]:
        del sourced[path]
    ours = {file.path for file in machine.generated.values()}
    both = (file for file in (*machine.startup.values(), *sourced.values()) if file.path not in ours)
    # Two names may lead to one file.
    return list({file.target: file for file in both}.values())


def _readers(file: TextFile, machine: Machine) -> list[str]:
    """The shells that read a file. One that is read by another is judged by its name."""
    readers = [
        name
        for name, shell in SHELLS.items()
        if file.path in [reading.file for reading in shell.reads(machine.around)]
    ]
    ending = file.path.suffix.lstrip(".")
    return readers or [next((name for name, shell in SHELLS.items() if ending in shell.endings), "bash")]


def _checker(file: TextFile, machine: Machine) -> tuple[str, str] | None:
    if file.path.name == fish_variables.FILE:
        return None
    shells = (machine.shell(name) for name in _readers(file, machine))
    return next(((shell.program, SHELLS[shell.name].check) for shell in shells if shell), None)


def _about(
    file: TextFile, places: Places, known: Known, machine: Machine, parse: Callable[[bytes], Any]
) -> list[Statement]:
    """The statements of a file, found in its own language."""
    path, content = file.path, file.content or b""
    if path.name == fish_variables.FILE:
        return fish_variables.universal_statements_about(content, places, known)
    if path.suffix == ".fish":
        return fish_statements_about(content, places, known, parser=machine.fish_parser)
    if path.name in _OF_CSH or path.suffix in (".csh", ".tcsh"):
        return csh_statements_about(content, places, known)
    checker = _checker(file, machine)
    whole: Callable[[bytes], bool] | None = (lambda text: passes(checker, text)[0]) if checker else None
    return statements_about(content, places, known, whole, parse)
