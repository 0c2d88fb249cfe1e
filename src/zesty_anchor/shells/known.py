"""The shells that this program knows, by name, and the files that it generates."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from pathlib import Path
from typing import cast

from zesty_anchor.manifest.shell_names import SHELL_CLASSES
from zesty_anchor.shells import graphical, launch, posix
from zesty_anchor.shells.shell import Generate, Shell


class _Shells(Mapping[str, Shell]):
    """One of each class, made when it is first asked for."""

    def __init__(self) -> None:
        self._made: dict[str, Shell] = {}

    def __getitem__(self, name: str) -> Shell:
        if name not in self._made:
            self._made[name] = cast(type[Shell], SHELL_CLASSES[name])()
        return self._made[name]

    def __contains__(self, name: object) -> bool:
        return name in SHELL_CLASSES

    def __iter__(self) -> Iterator[str]:
        return iter(SHELL_CLASSES.names())

    def __len__(self) -> int:
        return len(SHELL_CLASSES.names())


SHELLS: Mapping[str, Shell] = _Shells()
"""Each is also the name of the language that its generated file is written in."""

SH = "sh"
"""The language that the shells which are like sh read as well."""
LAUNCH, SESSION, FOLLOW, COMPLETE = "launch", "session", "follow.", "complete."


def like_sh() -> tuple[str, ...]:
    """The shells that read lines in the language of sh, where there are none in their own; without sh
    itself.
    """
    return tuple(name for name, shell in SHELLS.items() if shell.like_sh and name != SH)


def following() -> tuple[str, ...]:
    """The shells that follow the current folder: what they need for that is in a second file, and a function
    of theirs brings them up to date after each command of ours.
    """
    return tuple(name for name, shell in SHELLS.items() if shell.follows)


def generated() -> dict[str, Generate]:
    """What is generated, given the environment and the file that it will stand in: a file that reads another
    one after that one, and last those that something reads without a line of ours in a startup file. So a
    shell that starts in between finds all of it.
    """
    found: dict[str, Generate] = {}
    found |= {f"{FOLLOW}{name}": SHELLS[name].on_demand for name in following()}
    found |= {f"{COMPLETE}{name}": shell.completion for name, shell in SHELLS.items() if shell.completes}
    found[LAUNCH] = launch.common
    for shell in SHELLS.values():
        found |= shell.further_files()
    read_alone = [name for name, shell in SHELLS.items() if shell.own_file(Path()) is not None]
    found |= {name: shell.environment for name, shell in SHELLS.items() if name not in read_alone}
    found |= {name: SHELLS[name].environment for name in read_alone}
    return found | {SESSION: graphical.environment}


def path_forms(name: str) -> tuple[Callable[[str], str], ...]:
    """The ways in which a generated file writes a path: inside its language's quotes, and in its patterns."""
    if name == SESSION:
        return (lambda text: graphical.quote(text)[1:-1],)
    language = name.rpartition(".")[2]
    return SHELLS[language].path_forms() if language in SHELLS else (lambda text: posix.quote(text)[1:-1],)
