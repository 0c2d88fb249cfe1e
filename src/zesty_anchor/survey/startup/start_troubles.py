"""What new shells did at their start that they should not: print, take long, read one thing twice,
disagree.
"""

from __future__ import annotations

import os
import re
from collections.abc import Iterable, Iterator
from pathlib import Path

from zesty_anchor.files.replace import content_of
from zesty_anchor.shells.known import SHELLS
from zesty_anchor.shells.line_ends import misread
from zesty_anchor.survey.findings import Trouble
from zesty_anchor.survey.machine import Machine
from zesty_anchor.survey.startup.line_cost import DEAR_SECONDS, fix_for, written_text
from zesty_anchor.survey.startup.startup_trace import StartupTrace
from zesty_anchor.survey.startup.step import Place, Step

_PRINTS = re.compile(
    r"(?:builtin |command )?(?:echo|printf|print|cat|uname|date|fortune|figlet|uptime|w|who)\b"
)
_READS = re.compile(r"(?:\.|source|eval)\s+(.*)", re.DOTALL)
_PASSED = frozenset(
    [
        "PWD",
        "OLDPWD",
        "SHLVL",
        "_",
        "PS1",
        "PS4",
        "PATH",
        "BASH_XTRACEFD",
        "SHELL",
        "COLUMNS",
        "LINES",
        "TERM",
        "USER",
        "LOGNAME",
        "HOME",
        "LANG",
        "fish_trace",
    ]
)
_SHELLS_FILE = Path("/etc/shells")
_SKELETON = Path("/etc/skel")


def start_troubles(started: list[StartupTrace], machine: Machine) -> Iterator[Trouble]:
    """Each with file and line where the shell tells them."""
    for trace in started:
        yield from _noise(trace, machine)
        yield from _twice(trace, machine)
    yield from _slow(started, machine)
    yield from _disagreeing(started, machine)
    yield from _never_read(started, machine)
    yield from _dangling(machine)
    yield from _login_shell(machine)


def hiding_aliases(
    started: Iterable[StartupTrace], commands: Iterable[str], machine: Machine
) -> Iterator[Trouble]:
    """Aliases that answer to commands of the manifest in place of its versions; one that only adds options
    hides nothing.
    """
    asked = set(commands)
    found: dict[tuple[str, str, Place | None], dict[str, None]] = {}
    for trace in started:
        for name in asked & trace.aliases.keys():
            value = trace.aliases[name]
            if value.split()[:1] != [name]:
                found.setdefault((name, value, trace.of_alias(name)), {})[trace.shell] = None
    for (name, value, place), shells in found.items():
        where = (machine.locations.shown(place.file), place.line) if place else ("", 0)
        fix = f"delete {where[0]}:{where[1]}" if place else f"unalias {name}"
        what = f"alias {name}={machine.locations.shown(value)[:60]} shadows the {name} from your manifest"
        yield Trouble(*where, what, tuple(shells), fix, weight=60)


def _where(trace: StartupTrace) -> tuple[str, ...]:
    return (f"{trace.shell} ({trace.context})",)


def _mine(step: Step, machine: Machine) -> bool:
    """Whether a line is the person's own. A start has thousands of steps, and paths are slow to be taken
    apart.
    """
    home, data = machine.locations.home, machine.locations.data
    return step.file.startswith(f"{home}/") and not step.file.startswith(f"{data}/")


def _noise(trace: StartupTrace, machine: Machine) -> Iterator[Trouble]:
    """Output of a start without a terminal: what scp(1), rsync(1) and git(1) take for an answer of theirs."""
    words = trace.said.strip()
    if "interactive" in trace.context or not words or trace.cut_off:
        return
    first = words.splitlines()[0].strip()
    if any(
        first.startswith(str(path)) and misread(trace.shell, file.content)
        for path, file in machine.startup.items()
    ):
        return  # reported once, for the file
    found = printing(trace, words)
    place = (machine.locations.shown(found.file), found.line) if found else ("", 0)
    what = f"prints {first[:40]!r} where there is no terminal: that breaks scp, rsync and git over ssh"
    yield Trouble(*place, what, _where(trace), "guard the line: [ -t 1 ] && …", weight=70)


def printing(trace: StartupTrace, words: str) -> Place | None:
    """The line that printed these words, as far as it can be told. Pure."""
    first = words.strip().splitlines()[0].strip() if words.strip() else ""
    prints = [step for step in trace.steps if step.file and _PRINTS.match(step.text)]
    said = [step for step in prints if first[:20] in step.text]
    step = next(iter(said or prints), None)
    return Place(step.file, step.line) if step else None


def _slow(started: Iterable[StartupTrace], machine: Machine) -> Iterator[Trouble]:
    """A line that took long in each start of a shell in which it ran: once may be chance."""
    took: dict[tuple[str, Place], list[float]] = {}
    texts: dict[tuple[str, Place], str] = {}
    for trace in started:
        ends = [*(step.at for step in trace.steps[1:]), trace.ended]
        for step, end in zip(trace.steps, ends, strict=False):
            if step.file and _mine(step, machine):
                key = trace.shell, Place(step.file, step.line)
                took.setdefault(key, []).append(end - step.at)
                texts.setdefault(key, step.text.splitlines()[0] if step.text else "")
    for (shell, place), seconds in took.items():
        if min(seconds) <= DEAR_SECONDS:
            continue
        text = written_text(place.file, place.line, texts[shell, place])
        what = f"this line takes {min(seconds) * 1000:.0f} ms of each start: {text[:50]}"
        yield Trouble(
            machine.locations.shown(place.file), place.line, what, (shell,), fix_for(text), weight=25
        )


def _twice(trace: StartupTrace, machine: Machine) -> Iterator[Trouble]:
    """One file read, or one command evaluated, by two lines of one start."""
    seen: dict[str, Place] = {}
    for step in trace.steps:
        found = _READS.match(step.text)
        if found is None or not step.file or not _mine(step, machine) or len(found[1]) < 8:
            continue
        if str(machine.locations.shell) in found[1]:
            continue  # our own line stands in several files of a shell, and does nothing twice
        place, first = Place(step.file, step.line), seen.get(found[1])
        seen.setdefault(found[1], place)
        if first is not None and first != place:
            shown = machine.locations.shown
            what = f"does again what {shown(first.file)}:{first.line} did: {step.text.splitlines()[0][:50]}"
            yield Trouble(
                shown(step.file), step.line, what, (trace.shell,), "take one of the two lines out", weight=15
            )


def _disagreeing(started: Iterable[StartupTrace], machine: Machine) -> Iterator[Trouble]:
    """A variable that shells hold differently, since lines of the person's in several places set it."""
    values: dict[str, dict[str, tuple[Place, str]]] = {}
    for trace in started:
        for name, value in trace.variables.items():
            place = trace.of_variable(name) if name not in _PASSED else None
            if place is not None and _mine(Step(place.file, place.line, 0, "", ""), machine):
                values.setdefault(name, {}).setdefault(value, (place, trace.shell))
    shown = machine.locations.shown
    for name, found in values.items():
        if len({place for place, _ in found.values()}) < 2:
            continue
        each = [
            f"{value[:30]} in {shell} ({shown(place.file)}:{place.line})"
            for value, (place, shell) in found.items()
        ]
        first = next(iter(found.values()))[0]
        what = f"{name} has {len(found)} values: {'; '.join(each[:3])}"
        yield Trouble(
            shown(first.file),
            first.line,
            what,
            (),
            f'[variables] {name} = "…" sets it in every shell',
            weight=35,
        )


def _is_skeleton(file: Path) -> bool:
    """Whether a file is what the system puts into each new home (useradd(8), "-k")."""
    return content_of(file) == content_of(_SKELETON / file.name)


def _never_read(started: list[StartupTrace], machine: Machine) -> Iterator[Trouble]:
    """A startup file that another one of the same shell hides (bash(1), "INVOCATION"; tcsh(1), "Startup and
    shutdown").
    """
    around, shown = machine.around, machine.locations.shown
    for shell in machine.shells:
        readings = SHELLS[shell.name].reads(around)
        own = (step.file for trace in started if trace.shell == shell.name for step in trace.steps)
        read = {os.path.realpath(file) for file in set(own) if file}
        for reading in readings:
            if reading.when != "hidden" or not machine.startup[reading.file].content:
                continue
            others = [
                s.name
                for s in machine.shells
                if s.name != shell.name
                for r in SHELLS[s.name].reads(around)
                if r.file == reading.file and r.when != "hidden"
            ]
            if os.path.realpath(reading.file) in read:
                continue
            before = next(
                (
                    r.file
                    for r in readings
                    if r.when in ("login", "always") and machine.startup[r.file].content is not None
                ),
                None,
            )
            if before is None or (others and _is_skeleton(reading.file)):
                continue
            whose = f"; {', '.join(others)} {'do' if len(others) > 1 else 'does'}" if others else ""
            what = f"{shell.name} never reads it, since {shown(before)} is there{whose}"
            fix = f"add to {shown(before)}: {SHELLS[shell.name].source_word} {shown(reading.file)}"
            yield Trouble(shown(reading.file), 0, what, (shell.name,), fix, weight=45 if not others else 12)


def _dangling(machine: Machine) -> Iterator[Trouble]:
    shown = machine.locations.shown
    for path in machine.startup:
        if path.is_symlink() and not path.exists():
            what = f"is a link that leads nowhere: {os.readlink(path)}"
            yield Trouble(shown(path), 0, what, (), "restore the file, or remove the link", weight=50)


def _login_shell(machine: Machine) -> Iterator[Trouble]:
    """shells(5): ftp, chsh and some display managers refuse a user whose shell is not there."""
    shell = next((each for each in machine.shells if each.login), None)
    try:
        listed = _SHELLS_FILE.read_text("utf-8", "replace").split()
    except OSError:
        return
    if shell is None:
        return
    names = {os.path.realpath(each) for each in listed if each.startswith("/")}
    if os.path.realpath(shell.program) not in names:
        what = f"the login shell {shell.program} is not in it"
        yield Trouble(
            str(_SHELLS_FILE),
            0,
            what,
            (shell.name,),
            f"as root: echo {shell.program} >>{_SHELLS_FILE}",
            weight=55,
        )
