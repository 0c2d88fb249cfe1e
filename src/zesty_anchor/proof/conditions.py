"""What a proof hangs on beside what we write: as long as none of it has changed, what was proved holds."""

from __future__ import annotations

import os
from collections.abc import Iterable, Mapping

import msgspec

from zesty_anchor.manifest.wanted import Wanted
from zesty_anchor.shelf.receipt import FILE_NAME
from zesty_anchor.survey.machine import Machine

Conditions = Mapping[str, str]
"""Files by their paths, each with what tells one state of it from another; under an empty path what is asked.
"""

_OF_THE_SYSTEM = (
    "/etc/profile", "/etc/profile.d", "/etc/environment", "/etc/login.defs", "/etc/bash.bashrc",
    "/etc/bashrc",
    "/etc/zsh/zshenv", "/etc/zsh/zprofile", "/etc/zsh/zshrc", "/etc/zsh/zlogin", "/etc/zshenv",
    "/etc/zprofile",
    "/etc/zshrc", "/etc/ksh.kshrc", "/etc/mkshrc", "/etc/csh.cshrc", "/etc/csh.login",
    "/etc/fish/config.fish",
    "/etc/fish/conf.d",
)  # fmt: skip
"""What shells read before a person's own files (the section on startup files of each shell's manual)."""


def conditions(wanted: Wanted, machine: Machine, known: Iterable[str] = ()) -> Conditions:
    """The conditions now; ``known`` are further files, which startup files read."""
    asked = (wanted.checks, wanted.shells, wanted.shell_choices.startup)
    files = [
        *_OF_THE_SYSTEM,
        *map(str, machine.startup),
        *(str(file.path) for file in machine.generated.values()),
    ]
    files += [str(version.folder / FILE_NAME) for version in wanted.versions]
    found = {file: _state(file) for file in dict.fromkeys((*files, *known)) if file}
    return {"": msgspec.json.encode(asked).decode(), **found}


def conditions_proved(wanted: Wanted, machine: Machine) -> Conditions:
    """The conditions of a proof that was well, with the files that startup files read in their turn, as they
    stand now.
    """
    return conditions(wanted, machine, map(str, machine.again({"startup"}).sourced))


def still_hold(before: Conditions, wanted: Wanted, machine: Machine) -> bool:
    """Whether nothing has changed since a proof was well."""
    return bool(before) and before == conditions(wanted, machine, before)


def _state(file: str) -> str:
    try:
        status = os.stat(file)
    except OSError:
        return ""
    return f"{status.st_ino} {status.st_size} {status.st_mtime_ns} {status.st_mode}"
