"""What is wrong with startup files: found by reading them, and by what new shells did."""

from __future__ import annotations

import os
import re
import subprocess
from collections.abc import Iterable, Iterator, Sequence
from pathlib import Path

from zesty_anchor.shells.known import SH, SHELLS
from zesty_anchor.shells.line_ends import crlf_lines, described, fix, misread
from zesty_anchor.shells.sh_tree import first_error
from zesty_anchor.shells.syntax import passes
from zesty_anchor.survey.findings import Trouble
from zesty_anchor.survey.machine import Machine
from zesty_anchor.survey.sourced import resolved
from zesty_anchor.survey.startup.startup_trace import StartupTrace

_BEGINS = re.compile(r"\s*(?:if|for|foreach|while|until|case|switch|begin)\b")
_ENDS = re.compile(r"\s*(?:fi|done|esac|end|endif|endsw)\b")
_ENDED = re.compile(r"[;\s](?:fi|done|esac|end)\s*(?:#.*)?$")
_OTHERWISE = re.compile(r"\s*(?:elif|else\s+if)\b")
_UNGUARDED = re.compile(r"""^\s*(?:\.|source)\s+(["']?)([^\s;"'&|<()]+)\1\s*(?:#.*)?$""")
"""A line that does nothing but read a file, whether that is there or not."""


def in_files(machine: Machine) -> list[Trouble]:
    """Broken syntax, and files that are sourced and do not exist. No shell is started for that, but those
    that only read.
    """
    return [*_windows_ends(machine), *broken(machine), *_missing(machine)]


def unready(machine: Machine, started: Iterable[StartupTrace]) -> list[Trouble]:
    """Shells that never became ready."""
    shown = machine.locations.shown
    found = []
    home = f"{machine.locations.home}/"
    for trace in started:
        if trace.cut_off and not trace.only_slow and not trace.landed:
            named = [step for step in reversed(trace.steps) if step.file]
            last = next((step for step in named if step.file.startswith(home)), next(iter(named), None))
            place = (shown(last.file), last.line) if last else ("", 0)
            what, why = trace.cut_off.split(", at ")[0], (f"{trace.shell} ({trace.context})",)
            found.append(
                Trouble(*place, what, why, "take that line out, or guard it: [ -t 0 ] || …", weight=90)
            )
    return found


def guarded(above: Sequence[str], target: str) -> bool:
    """Whether a condition around the row that follows asks first whether ``target`` is there. In the
    languages of all shells: a block begins and ends with a row of its own. Pure.
    """
    tests = re.compile(rf"\s-[efrs]\s+[\"']?{re.escape(target)}[\"']?(?=[\s\]);]|$)")
    depth = 0
    for row in reversed(above):
        ends, begins = bool(_ENDS.match(row)), bool(_BEGINS.match(row))
        if ends and not begins:
            depth += 1
        elif begins and not _ENDED.search(row):
            if depth == 0 and tests.search(row):
                return True
            depth = max(0, depth - 1)
        elif depth == 0 and _OTHERWISE.match(row):
            if tests.search(row):
                return True
            depth = 0
    return False


def _windows_ends(machine: Machine) -> Iterator[Trouble]:
    """Startup files whose lines end so that their shells misread them."""
    found: dict[Path, dict[str, None]] = {}
    for name, shell in SHELLS.items():
        for reading in shell.reads(machine.around) if machine.shell(name) else ():
            if reading.runs and misread(name, machine.startup[reading.file].content):
                found.setdefault(reading.file, {})[name] = None
    for path, shells in found.items():
        shown, content = machine.locations.shown(path), machine.startup[path].content
        repair = fix(machine.locations.shown(machine.startup[path].target))
        yield Trouble(shown, crlf_lines(content)[1], described(content), tuple(shells), repair, weight=85)


def broken(machine: Machine) -> Iterator[Trouble]:
    """Startup files that their shell cannot read."""
    for name, shell in SHELLS.items():
        installed = machine.shell(name)
        for reading in shell.reads(machine.around) if installed else ():
            file = machine.startup[reading.file]
            if (
                installed is None
                or file.content is None
                or not reading.runs
                or (reading.file.name == ".profile" and name != SH)
                or misread(name, file.content)
            ):
                continue
            well, said = _said((installed.program, shell.check), file.content)
            if not well:
                line = re.search(r"line (\d+)|:(\d+):|\[(\d+)\]", said)
                number = next((int(n) for n in line.groups() if n), 0) if line else 0
                if number > file.content.count(b"\n") and not shell.names_error:
                    number = first_error(file.content) or number  # it tells where it gave up: at the end
                what = f"a syntax error: {said.removeprefix(f'(line {number}): ')}"
                fix = f"put that line right; {name} reads nothing below it"
                yield Trouble(machine.locations.shown(reading.file), number, what, (name,), fix, weight=80)


def _said(checker: tuple[str, str], content: bytes) -> tuple[bool, str]:
    """What a shell says that only reads; a shell that cannot be asked has nothing to say."""
    try:
        return passes(checker, content)
    except (OSError, subprocess.TimeoutExpired):
        return True, ""


def _missing(machine: Machine) -> Iterator[Trouble]:
    for path, file in machine.startup.items():
        rows = (file.content or b"").decode("utf-8", "replace").splitlines()
        for number, row in enumerate(rows, 1):
            sourced = _UNGUARDED.match(row)
            if sourced is None:
                continue
            target = resolved(sourced[2], machine.locations.home)
            if (
                target is not None
                and not os.path.exists(target)
                and not guarded(rows[: number - 1], sourced[2])
            ):
                shown = machine.locations.shown
                fix = f"take the line out, or guard it: [ -r {sourced[2]} ] && …"
                yield Trouble(
                    shown(path), number, f"sources {shown(target)}, which does not exist", (), fix, weight=40
                )
