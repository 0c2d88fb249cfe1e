"""``[secrets]``: variables whose values each shell reads from a file when it starts, so that no value is in
the manifest, the lock, the journal, a report or a generated file.
"""

from __future__ import annotations

import os
import shlex
import stat
from collections.abc import Mapping
from pathlib import Path

import msgspec

from zesty_anchor.manifest.check import Check
from zesty_anchor.manifest.wanted import Wanted, expand
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.shells.known import SH, SHELLS
from zesty_anchor.system.problem import UsageProblem


def with_secrets(wanted: Wanted, workstation: Workstation) -> Wanted:
    """What is wanted, with the lines that read each secret, and a check that each shell has it. Raises
    ``UsageProblem`` for a file that is not there, or that others may read.
    """
    named = workstation.manifest.secrets
    if not named:
        return wanted
    files = {name: expand(file, workstation.locations.home) for name, file in named.items()}
    if workstation.facts is None:
        for name, file in files.items():
            _check_file(Path(file), workstation.place("secrets", name))
    choices = wanted.shell_choices
    hooks = dict(choices.hooks)
    for shell, lines in _lines(files).items():
        hooks[shell] = "\n".join(filter(None, (lines, hooks.get(shell, ""))))
    checks = tuple(_check(name, file) for name, file in files.items())
    return msgspec.structs.replace(
        wanted,
        shell_choices=msgspec.structs.replace(choices, hooks=hooks),
        checks=(*wanted.checks, *checks),
    )


def _lines(files: Mapping[str, str]) -> dict[str, str]:
    """By shell the lines that read the secrets, by builtins alone; tcsh has none for it, and starts
    head(1).
    """
    first = "set -gx {} (string split -m 1 \\n -- (string collect <{}))[1]"
    sh, fish, tcsh = (SHELLS[name].quote for name in (SH, "fish", "tcsh"))
    return {
        SH: "\n".join(
            f"if [ -r {sh(file)} ]; then IFS= read -r {name} <{sh(file)} || :; export {name}; fi"
            for name, file in files.items()
        ),
        "fish": "\n".join(
            f"test -r {fish(file)}; and {first.format(name, fish(file))}" for name, file in files.items()
        ),
        "tcsh": "\n".join(
            f'if ( -r {tcsh(file)} ) setenv {name} "`head -n 1 {tcsh(file)}`"' for name, file in files.items()
        ),
    }


def _check(name: str, file: str) -> Check:
    """Compares inside the shell, so that no value is shown."""
    quoted = SHELLS[SH].quote(file)
    same = f'[ -n "${name}" ] && [ "${name}" = "$za__secret" ] && echo the same'
    run = f"IFS= read -r za__secret <{quoted} || :; {same}"
    return Check(name=f"${name} is what its file holds", run=run, expect="the same*")


def _check_file(file: Path, place: str) -> None:
    closing = f"chmod 600 {shlex.quote(str(file))}"
    try:
        state = file.stat()
    except OSError as error:
        raise UsageProblem(
            f"the file of a secret cannot be read: {error.strerror}",
            where=f"{place}: {file}",
            advice=f"write the value into it, in one line, then: {closing}",
        ) from None
    if not stat.S_ISREG(state.st_mode):
        raise UsageProblem(f"{file} is not a file", where=place, advice="name the file that holds the value")
    if state.st_uid != os.getuid() or state.st_mode & 0o077:
        raise UsageProblem(
            f"others may read the secret in {file}", where=place, advice=f"chmod 600 {shlex.quote(str(file))}"
        )
