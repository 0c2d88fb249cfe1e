"""What a new shell has when it is ready: variables, aliases, functions, options and more, to be compared
with another start.
"""

from __future__ import annotations

import os
import re
from collections.abc import Iterator, Mapping
from pathlib import Path

import msgspec

from zesty_anchor.files.text_file import content_of
from zesty_anchor.shells.fresh import clean_environment
from zesty_anchor.shells.known import SHELLS
from zesty_anchor.shells.marked_start import Watch, marked_start
from zesty_anchor.shells.posix import quote
from zesty_anchor.shells.pty import wait_for
from zesty_anchor.shells.reading import Context
from zesty_anchor.shells.together import Interrupted, never
from zesty_anchor.survey.machine import InstalledShell, Machine
from zesty_anchor.system.host import env_program, user_name
from zesty_anchor.system.room import room as room_for

SECONDS = 10.0
"""How long a shell may take to start, before it is cut off."""

Facts = Mapping[str, str]
"""What a shell has, each under its kind and name: ``variable EDITOR``, ``alias ls``, ``option -o vi``."""

_NAMES = """
_ BASHPID RANDOM SRANDOM SECONDS EPOCHREALTIME EPOCHSECONDS LINENO PPID HISTCMD BASH_ARGC BASH_ARGV
BASH_LINENO BASH_SOURCE BASH_SUBSHELL BASH_MONOSECONDS BASH_EXECUTION_STRING FUNCNAME PIPESTATUS COLUMNS
LINES status pipestatus CMD_DURATION fish_pid history histcmd HISTFILE TTY TTYIDLE TIMEFMT EPOCHTIME PWD
OLDPWD dirstack argv fish_kill_signal parameters functions functions_source aliases commands options
builtins reswords modules nameddirs userdirs jobtexts jobstates jobdirs galiases saliases dis_aliases
dis_functions dis_builtins dis_reswords dis_galiases dis_saliases dis_patchars patchars usergroups funcstack
funcfiletrace funcsourcetrace functrace historywords zsh_eval_context ZSH_EVAL_CONTEXT ZSH_SUBSHELL
ZSH_EXECUTION_STRING errnos sysparams .sh.command .sh.file .sh.fun .sh.lineno .sh.level .sh.stats .sh.pid
.sh.ppid .sh.name .sh.subscript .sh.value .sh.match KSH_VERSION fish_killring tty gid uid cwd dirs 0 ? $ ! -
# * @ 1 path_ fpath cdpath manpath module_path mailpath psvar watch fignore zsh_scheduled_events
fish_history command term _fish_commandline BASH_ALIASES BASH_CMDS DIRSTACK PGRP
"""
_PASSING = frozenset(_NAMES.split())
"""Variables that say something else at each start, or say twice what another says."""


class StartState(msgspec.Struct, frozen=True):
    """One start: what the shell had (``facts``), and the lines that it printed. ``cut_off`` tells that it was
    never ready.
    """

    shell: str
    context: str
    facts: Facts = {}
    said: tuple[str, ...] = ()
    cut_off: bool = False


def start_state(
    shell: InstalledShell,
    context: Context,
    machine: Machine,
    home: Path,
    recorders: str = "",
    *,
    interrupted: Interrupted = never,
) -> StartState:
    """Start a shell once, under a pty, with nothing but what a login gives, in ``home``, and ask what it has
    then.

    ``recorders`` is a folder that comes first on PATH.
    """
    path = f"{recorders}:{machine.login_path}" if recorders else machine.login_path
    environment = clean_environment(
        machine.environ, machine.login_environ, home, shell.program, user_name(), path
    )
    kind = SHELLS[shell.name]
    with room_for("state") as room:
        probe = room / "probe"
        probe.write_text(
            kind.code("state").replace("ENV", env_program()).replace("ROOM", quote(str(room))),
            "utf-8",
        )
        words = [
            shell.program,
            *context.options,
            "-c",
            f"{kind.source_word} {quote(str(probe))}",
        ]
        if context.login_name:
            # See shells/fresh.py: tcsh takes no option for that beside -c.
            words = ["bash", "--norc", "-c", 'exec -a "-${0##*/}" "$0" "$@"', *words]
        started = {**environment, **dict(context.variables)}
        with marked_start(words, started, home, room, seconds=SECONDS) as start:
            watch = Watch(start)
            wait_for(start.child, None, SECONDS, lambda: interrupted() or watch.look())
            printed = start.child.before or b""
        said = tuple(_lines(os.fsdecode(printed)))
        if not (room / "ready").exists():
            return StartState(shell.name, context.name, said=said, cut_off=True)
        return StartState(shell.name, context.name, dict(_facts(room, recorders)), said)


def contexts_of(shell: InstalledShell) -> tuple[Context, ...]:
    """The ways of starting it."""
    return SHELLS[shell.name].contexts


def _lines(printed: str) -> Iterator[str]:
    """Lines with what changes from one start to the next taken out."""
    for line in re.split(r"[\r\n]+", printed):
        if line.strip():
            yield re.sub(r"\d+", "0", line)


_QUOTED_ALIAS = re.compile(r"^alias (?:-- )?([^\s=]+)='[^']*(?:'\\''[^']*)*'$", re.MULTILINE)


def _facts(room: Path, recorders: str) -> Iterator[tuple[str, str]]:
    """What lasts of all that the probe wrote down, without our own paths in it."""

    def written(kind: str) -> str:
        text = os.fsdecode(content_of(room / kind)).replace(str(room), "ROOM")
        return text.replace(f"{recorders}:", "") if recorders else text

    for kind in ("variable", "alias", "function"):
        fields = written(kind).split("\0")
        for name, value in zip(fields[1::2], fields[2::2], strict=False):
            if kind != "variable" or _lasts(name):
                yield f"{kind} {name}", value.rstrip("\n")
    for kind in ("option", "completion", "key", "trap", "limit"):
        for line in written(kind).splitlines():
            yield f"{kind} {line}", line
    # bash(1), "alias": -p prints each in a form that can be read again; a value is one word in single quotes,
    # over several lines maybe.
    for found in _QUOTED_ALIAS.finditer(written("alias-quoted")):
        yield f"alias {found[1]}", found[0]
    for kind, pattern in (("variable", r"([\w.]+)[=\t ]?(.*)"), ("alias", r"(?:alias )?(\S+?)[=\t ](.*)")):
        for line in written(f"{kind}-lines").splitlines():
            parted = re.fullmatch(pattern, line)
            if parted and (kind != "variable" or _lasts(parted[1])):
                yield f"{kind} {parted[1]}", parted[2]
    for pair in written("exported").split("\0"):
        name, equals, value = pair.partition("=")
        if equals and name not in _PASSING and not name.startswith("BASH_FUNC_"):
            yield f"exported {name}", value
    yield "status", written("status").strip()


def _lasts(name: str) -> bool:
    """Whether a variable says the same at each start."""
    return name not in _PASSING and not name.startswith(("__fish_", "za_"))
