"""What a new shell does when it starts: every line that it executes, with its file, its time, and what it
changed.

bash, zsh, ksh and mksh are asked to trace themselves (``-x``), with a PS4 that carries time, file, line and
PATH: bash(1) and zshparam(1), "PS4". fish writes a profile and a trace of its start. A person's files are
read, and nothing is written into them.
"""

from __future__ import annotations

import os
import re
from collections.abc import Callable, Iterable, Mapping, Sequence
from pathlib import Path

import msgspec

from zesty_anchor.files.text_file import content_of
from zesty_anchor.shells.fish_tree import Node
from zesty_anchor.shells.known import SHELLS
from zesty_anchor.shells.marked_start import Watch, marked_start
from zesty_anchor.shells.posix import quote
from zesty_anchor.shells.pty import wait_for
from zesty_anchor.shells.reading import Context
from zesty_anchor.shells.shell import Shell
from zesty_anchor.shells.together import Interrupted, never
from zesty_anchor.shells.tracing import TraceStart
from zesty_anchor.survey.machine import InstalledShell, Machine
from zesty_anchor.survey.startup import fish_variables
from zesty_anchor.survey.startup.fish_trace import fish_steps, profile_ended
from zesty_anchor.survey.startup.fish_words import fish_words
from zesty_anchor.survey.startup.sh_trace import ended_at, settled, traced_steps
from zesty_anchor.survey.startup.start_environment import start_environment
from zesty_anchor.survey.startup.step import Place, Step
from zesty_anchor.system.host import env_program
from zesty_anchor.system.room import room as room_for

SECONDS = 5.0
"""How long a shell may take to start, before it is cut off."""


class StartupTrace(msgspec.Struct, frozen=True):
    """The start of one shell: its steps, and what it had when it was ready. ``cut_off`` says why it never
    was.
    """

    shell: str
    context: str
    steps: tuple[Step, ...]
    path: str = ""
    variables: Mapping[str, str] = {}
    aliases: Mapping[str, str] = {}
    functions: Mapping[str, Place | None] = {}
    builtins: frozenset[str] = frozenset()
    hashed: Mapping[str, str] = {}
    """The files of commands that it remembers, and does not look for on PATH (POSIX.1-2017, "hash")."""
    cut_off: str = ""
    asked: str = ""
    """The variable whose value each step holds."""
    said: str = ""
    """What it printed on its terminal; tcsh, which shows its trace there, has none."""
    ended: float = 0.0
    """When its last step was over, in seconds after the first; 0 where that is not told."""
    landed: str = ""
    """The shell to which a startup file handed its terminal over: that one takes the first command."""
    only_slow: bool = False
    """It was cut off, and comes to its first command where nobody traces it."""

    def of_path_entry(self, entry: str, times: int = 1) -> Place | None:
        """The line that put a folder on PATH, or did so for the second time: the last one, where it was taken
        out and put back. None where the shell came with it. Pure.
        """
        if SHELLS[self.shell].profiles:
            for step in reversed(self.steps):
                if step.text.startswith("fish_add_path ") and entry in fish_words(step.text):
                    return self._place(step)  # what is universal is there before, and would come again
        steps = [step for step in self.steps if not step.depth]
        came = _came(steps, self.path, lambda path: path.split(":").count(entry) >= times)
        if came is None:
            return None
        step = steps[came]
        following = steps[came + 1] if came + 1 < len(steps) else None
        # ksh shows PATH as it is after the line.
        late = (
            SHELLS[self.shell].lags
            and following is not None
            and entry in following.text
            and entry not in step.text
        )
        return self._place(following if late and following is not None else step)

    def of_variable(self, name: str) -> Place | None:
        """The line that set a variable last; None where the shell came with it. Pure."""
        if self.asked == name:
            return self._of_value(name)
        query = r"(?!(?:-\S+ )*(?:-\w*[qe]|--query|--erase))"
        sets = rf"^set {query}(?:-\S+ )*{re.escape(name)}(?: |$)"
        pattern = re.compile(sets if SHELLS[self.shell].profiles else rf"(?:^|[\s']){re.escape(name)}\+?=")
        for step in reversed(self.steps):
            if (
                name in step.text
                and not step.depth
                and pattern.search(step.text.split("\n")[0])
                and not _PASSES.match(step.text)
            ):
                return self._place(step)
        return None

    def _of_value(self, name: str) -> Place | None:
        """The same, by what the variable held before each line. A function that ends gives back what was
        there before: the line that had set that.
        """
        word = re.compile(rf"\b{re.escape(name)}\b|^(?:\.|source|eval|read|printf|:)\s")
        last = self.variables.get(name, "")
        steps = _without_prefixes([step for step in self.steps if not step.depth], name, last)
        values = [*(step.value for step in steps), last]
        if steps and steps[0].text.startswith(": ") and values[0] and values[0] in steps[0].text:
            values[0] = ""  # an expansion sets its variable before the line is traced
        if SHELLS[self.shell].lags:  # it shows what is there after the line
            values = ["", *(step.value for step in steps)]
        brought: dict[str, Place | None] = {}
        place: Place | None = None
        for number, step in enumerate(steps):
            before, after = values[number], values[number + 1]
            sets = re.match(
                rf"(?:export |typeset (?:-\S+ )*|declare (?:-\S+ )*|readonly )?'?{re.escape(name)}\+?=",
                step.text,
            )
            if before == after and not (sets and after in step.text and not _PASSES.match(step.text)):
                continue
            following = steps[number + 1] if number + 1 < len(steps) else None
            if following is not None and following.text.startswith(": ") and not sets:
                step = following  # what expansion sets is set before the line is told
            if word.search(step.text) or after not in brought:
                place = brought[after] = self._place(step)
            else:
                place = brought[after]
        return place if self.variables.get(name) is not None else None

    def _place(self, step: Step) -> Place | None:
        """The line of a step; in a function that was called more than once, the line of the call."""
        if not step.file:
            return None
        called = [each for each in self.steps if (each.file, each.line) == (step.file, step.line)]
        call = step.called_from if len({each.call for each in called}) > 1 else None
        return call or Place(step.file, step.line)

    def of_alias(self, name: str) -> Place | None:
        """The line that made an alias. Pure."""
        return self._last(name, rf"^(?:alias|abbr) (?:.*[\s'])?'?{re.escape(name)}[= ]")

    def of_hash(self, name: str) -> Place | None:
        """The line that said where a command is. Pure."""
        return self._last(name, rf"^hash (?:.*\s)?'?{re.escape(name)}(?:=|$)")

    def _last(self, name: str, pattern: str) -> Place | None:
        for step in reversed(self.steps):
            if name in step.text and re.search(pattern, step.text):
                return self._place(step)
        return None


def _came(steps: Sequence[Step], last: str, has: Callable[[str], bool]) -> int | None:
    """The last step after which PATH has something that it had not before it; ``last`` is PATH after all of
    them. None where there is none. Pure.
    """
    after, there = last, has(last)
    for number in range(len(steps) - 1, -1, -1):
        before = steps[number].path
        if before != after:
            had = has(before)
            if there and not had:
                return number
            after, there = before, had
    return None


def _without_prefixes(steps: list[Step], name: str, last: str) -> list[Step]:
    """The steps without assignments that hold for one command alone, and those commands. Both are told at one
    line, and what is assigned is gone with the next.
    """
    sets = re.compile(rf"{re.escape(name)}=")
    passing: set[int] = set()
    for number, step in enumerate(steps):
        if not sets.match(step.text):
            continue
        beside = [n for n in (number - 1, number + 1) if 0 <= n < len(steps) and steps[n].line == step.line]
        commands = [
            n for n in beside if not re.match(r"(?:export|typeset|declare|readonly) |\w+=", steps[n].text)
        ]
        after = next((s.value for s in steps[number + 2 :]), last)
        if commands and after not in step.text:
            passing |= {number, *commands}
    return [step for number, step in enumerate(steps) if number not in passing]


_PASSES = re.compile(r"(?:local|typeset -[a-z]*l|set -l)\b|\w+=\S* +(?!\w+=)[^'\s]")
"""What sets a variable for a function, or for one command (POSIX.1-2017, XCU 2.9.1)."""


def trace_startup(
    shell: InstalledShell,
    context: Context,
    machine: Machine,
    *,
    names: Iterable[str] | None = None,
    seconds: float = SECONDS,
    interrupted: Interrupted = never,
) -> StartupTrace:
    """Start a shell once, under a pty, with nothing but what a login gives, and see what it does.

    fish is asked for the functions of these ``names`` alone (None: for all), since it has to read the file of
    each.
    """
    kind = SHELLS[shell.name]
    environment = start_environment(shell, machine)
    with room_for("trace") as room:
        (room / "probe").write_text(_probe(kind, room, names), "utf-8")
        start = TraceStart(shell.program, context, room, _variable(names), kind.reads(machine.around))
        words, more = kind.traced(start)
        started = {**environment, **dict(context.variables), **more}
        channels = {kind.channel: room / "trace"}
        with marked_start(
            words, started, Path(environment["HOME"]), room, seconds=seconds, channels=channels
        ) as begun:
            watch = Watch(begun)
            gone = wait_for(begun.child, None, seconds, lambda: interrupted() or watch.look())
            said = os.fsdecode(begun.child.before or b"") if not kind.traces_at_terminal else ""
            # A shell that waits for another one to end would go on once that is gone.
            told = os.fsdecode(content_of(room / "told")).split(_end(room))
            variables = _variables(told[-1], str(room)) if len(told) == _SECTIONS else {}
            more_read = _env_read(kind, context, variables)
            steps = tuple(_steps(shell, room, machine, environment["PATH"], more_read))
        if len(told) != _SECTIONS:
            last = steps[-1] if steps and steps[-1].file else None
            where = f", at {machine.locations.shown(last.file)}:{last.line}" if last is not None else ""
            landed = watch.found.shell if watch.found is not None and "-i" in context.options else ""
            why = (
                f"hands its terminal over to {landed}"
                if landed
                else "waits for somebody to type"
                if watch.asks
                else "ended it before the first command"
                if gone or watch.found is not None
                else f"did not come to an end within {seconds:.0f} s"
            )
            cut_off = f"a startup file {why}{where}"
            return StartupTrace(shell.name, context.name, steps, cut_off=cut_off, landed=landed)
        ended = 0.0
        if kind.profiles:
            ended = profile_ended(os.fsdecode(content_of(room / "profile")))
        elif kind.prompt is not None:
            ended = ended_at(os.fsdecode(content_of(room / "trace")), str(room))
        known, functions_told, builtins, path, _ = told
        return StartupTrace(
            shell=shell.name,
            context=context.name,
            steps=steps,
            path=path,
            variables=variables,
            aliases=aliases(known),
            hashed=hashed(known),
            functions={
                name: Place(*place) if place else None
                for name, place in kind.functions(functions_told.splitlines()).items()
            },
            builtins=frozenset(builtins.split()),
            said=said,
            asked=start.variable if kind.prompt is not None else "",
            ended=ended,
        )


_SECTIONS = 5


def _variables(told: str, room: str) -> dict[str, str]:
    pairs = (pair.partition("=") for pair in told.split("\0") if "=" in pair)
    return {name: value for name, _, value in pairs if value != room}


def _env_read(kind: Shell, context: Context, variables: Mapping[str, str]) -> list[str]:
    """The file that ENV names, which an interactive sh or mksh reads (POSIX.1-2017, XCU sh, "ENV")."""
    reads = kind.like_sh and kind.prompt is not None and not kind.names_lines and "-i" in context.options
    return [variables["ENV"]] if reads and variables.get("ENV", "").startswith("/") else []


def _end(room: Path) -> str:
    """What stands between two things that a shell tells."""
    return f"\x1d{room.name}\x1d"


def _variable(names: Iterable[str] | None) -> str:
    """The variable that is asked about."""
    return next((each[1:] for each in names or () if re.fullmatch(r"\$[A-Za-z_]\w*", each)), "")


def _probe(shell: Shell, room: Path, names: Iterable[str] | None) -> str:
    asked = _ALL_FUNCTIONS if names is None else " ".join(quote(each) for each in names if "\n" not in each)
    values = {"END": quote(_end(room)), "NAMES": asked, "ENV": env_program()}
    return re.sub(r"\b(?:END|NAMES|ENV)\b", lambda found: values[found[0]], shell.code("ready"))


_ALL_FUNCTIONS = "(functions -n -a | string split ', ')"


def _steps(
    shell: InstalledShell, room: Path, machine: Machine, path: str, more: Iterable[str] = ()
) -> list[Step]:
    trace = content_of(room / "trace")
    kind = SHELLS[shell.name]
    if not kind.profiles:
        readings = [*(str(reading.file) for reading in kind.reads(machine.around)), *more]
        return settled(traced_steps(os.fsdecode(trace), str(room)), readings, exact=kind.names_lines)

    def read(file: str) -> tuple[bytes, Node | None]:
        content = content_of(Path(file))
        return content, machine.fish_parser.tree(content)

    universal = machine.startup[machine.locations.others / "fish" / fish_variables.FILE].content or b""
    listed = fish_variables.universal_variables(universal)
    first = [value for each in listed if each.name == "fish_user_paths" for _, value in each.entries]
    profile = os.fsdecode(content_of(room / "profile"))
    return fish_steps(
        profile, os.fsdecode(trace), read, str(machine.locations.home), ":".join([*first, path])
    )


def aliases(text: str) -> dict[str, str]:
    """Aliases as shells print them: ``alias NAME='VALUE'`` or ``NAME='VALUE'``. Pure."""
    found = {}
    for row in text.splitlines():
        shown = re.match(r"abbr (?:\S+ )*-- (\S+) (.*)", row)
        match = shown or re.match(r"(?!hash )(?:alias )?(?:-g |-- )?'?([^\s=']+)'?=(.*)", row)
        if match:
            value = match[2]
            quoted = len(value) > 1 and value[0] == value[-1] == "'"
            found[match[1]] = value[1:-1].replace("'\\''", "'") if quoted else value
    return found


def hashed(text: str) -> dict[str, str]:
    """The files of commands as bash and zsh print them: ``builtin hash -p FILE NAME``, ``hash NAME=FILE``.
    Pure.
    """
    found = {}
    for row in text.splitlines():
        if match := re.fullmatch(r"builtin hash -p (\S+) (\S+)", row):
            found[match[2]] = match[1]
        elif match := re.fullmatch(r"hash ([^\s=]+)=(\S+)", row):
            found[match[1]] = match[2]
    return found
