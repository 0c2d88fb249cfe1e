"""What a shell's start costs: whole starts measured against one another, and the lines of the person's
startup files.
"""

from __future__ import annotations

import math
import os
import statistics
import subprocess
import time
from collections.abc import Sequence
from pathlib import Path

import msgspec

from zesty_anchor.files.text_file import content_of
from zesty_anchor.shells.known import SHELLS
from zesty_anchor.shells.reading import MARK, Context
from zesty_anchor.shells.sealed import World, in_copy
from zesty_anchor.survey.machine import InstalledShell, Machine
from zesty_anchor.survey.startup.line_cost import LineCost, line_costs, told_by
from zesty_anchor.survey.startup.line_marks import Marked, marked, measured, undisturbed
from zesty_anchor.survey.startup.start_environment import start_environment
from zesty_anchor.survey.startup.startup_trace import StartupTrace, trace_startup
from zesty_anchor.survey.startup.without_ours import read_alone, without_ours
from zesty_anchor.system.namespaces import Closed
from zesty_anchor.system.problem import Problem
from zesty_anchor.system.room import room as room_for

WAYS = ("as it is", "without ours", "without your files")
"""The homes that a shell is started in, by turns."""
_AT_ONCE = 5
_FEWEST, _MOST_STARTS = 15, 200
_NEAR = 0.05
"""How near the median must be known: half its 95 % interval, as a part of it."""
_TRACES = 5
_MARKED = 15
"""Starts with marks in the files."""


class Starts(msgspec.Struct, frozen=True):
    """Starts in one home, in milliseconds: the median, and the 95 % interval that it lies in."""

    way: str
    median: float
    low: float
    high: float
    starts: int
    each: tuple[float, ...] = ()
    """What each took, in order."""


class ShellCost(msgspec.Struct, frozen=True):
    """One shell: its starts in each home, its slowest lines, and the time of the generated files, in
    milliseconds. ``exact`` means that each statement was timed; otherwise the times come from a trace.
    """

    shell: str
    starts: tuple[Starts, ...]
    lines: tuple[LineCost, ...]
    ours: float
    exact: bool = False


def start_cost(shell: InstalledShell, machine: Machine, seconds: float) -> ShellCost:
    """Measure one shell for at most so many seconds. Raises ``Problem`` where the system allows no copy of
    the home.
    """
    context = _context(shell.name)
    try:
        starts = _starts(shell, context, machine, seconds)
        traces = in_copy(
            World(machine.locations.home),
            lambda home: [trace_startup(shell, context, machine, names=()) for _ in range(_TRACES)],
        )[0]
        marks, took = _by_marks(shell, context, machine, traces)
    except Closed:
        raise Problem(
            "this system allows no copy of the home to start shells in",
            where="user namespaces (user_namespaces(7))",
            advice="run it outside of the container, or have an administrator allow user namespaces",
        ) from None
    told = told_by(traces, machine.locations.data, marks.statements if marks is not None else ())
    exact = bool(took) or SHELLS[shell.name].profiles
    lines = line_costs(told, took)
    ours = sum(line.milliseconds for line in lines if line.text.endswith(MARK))
    yours = tuple(line for line in lines if not line.text.endswith(MARK))
    return ShellCost(shell.name, starts, yours, told.ours + ours, exact)


def _by_marks(
    shell: InstalledShell, context: Context, machine: Machine, traces: Sequence[StartupTrace]
) -> tuple[Marked | None, dict[tuple[str, int], float]]:
    """What each statement of the files in the home costs, by starts of copies with marks in them; none where
    the shell, or the parser, cannot.
    """
    home, data = machine.locations.home, machine.locations.data
    files = dict.fromkeys(Path(step.file) for trace in traces for step in trace.steps if step.file)
    mine = [file for file in files if file.is_relative_to(home) and not file.is_relative_to(data)]
    marks = marked(
        SHELLS[shell.name].clock, {file: content_of(file) for file in mine}, lambda text: _takes(shell, text)
    )
    if marks is None or not marks.texts:
        return None, {}
    environment = start_environment(shell, machine)

    def task(home: Path) -> list[dict[tuple[str, int], float]]:
        found = []
        with room_for("marks") as room:
            words = [shell.program, *context.options, "-c", marks.ending(room / "told")]
            for _ in range(_MARKED):
                (room / "told").unlink(missing_ok=True)
                _start(words, environment)
                found.append(measured(os.fsdecode(content_of(room / "told")), marks.files))
        return found

    return marks, undisturbed(in_copy(World(home, texts=marks.texts), task)[0])


def _takes(shell: InstalledShell, text: bytes) -> bool:
    """Whether a shell takes a text for a script, and says nothing to it: ``-n`` (POSIX.1-2017, XCU 2.14,
    "set").
    """
    answer = subprocess.run([shell.program, "-n", "/dev/stdin"], input=text, capture_output=True, check=False)
    return answer.returncode == 0 and not answer.stderr


def _context(name: str) -> Context:
    contexts = SHELLS[name].contexts
    return next(
        (c for c in contexts if c.name == "interactive"), next(c for c in contexts if "interactive" in c.name)
    )


def _worlds(machine: Machine) -> dict[str, World]:
    """The home as it is, without what is ours, and with empty startup files."""
    held = {file.path: b"" for file in machine.startup.values() if file.content is not None}
    return {
        WAYS[0]: World(machine.locations.home),
        WAYS[1]: without_ours(machine),
        WAYS[2]: World(machine.locations.home, texts=held, gone=read_alone(machine)),
    }


def _starts(shell: InstalledShell, context: Context, machine: Machine, seconds: float) -> tuple[Starts, ...]:
    """Starts in each home by turns, until each median is known well enough, or the time is over."""
    environment = start_environment(shell, machine)
    words = [shell.program, *context.options, "-c", SHELLS[shell.name].nothing]
    worlds, taken = _worlds(machine), {way: list[float]() for way in WAYS}
    began = time.monotonic()
    while True:
        for way, world in worlds.items():
            taken[way] += in_copy(world, lambda home: [_start(words, environment) for _ in range(_AT_ONCE)])[
                0
            ]
        told = tuple(spread(way, found) for way, found in taken.items())
        near = all(each.high - each.low <= 2 * _NEAR * each.median for each in told)
        if (
            (near and told[0].starts >= _FEWEST)
            or told[0].starts >= _MOST_STARTS
            or time.monotonic() - began > seconds
        ):
            return told


def _start(words: Sequence[str], environment: dict[str, str]) -> float:
    began = time.perf_counter()
    subprocess.run(words, env=environment, cwd=environment["HOME"], stdin=subprocess.DEVNULL,
    stdout=subprocess.DEVNULL,
                   stderr=subprocess.DEVNULL, check=False, start_new_session=True)  # fmt: skip
    return (time.perf_counter() - began) * 1000


def spread(way: str, found: Sequence[float]) -> Starts:
    """The median with its 95 % interval by order statistics (Conover, "Practical Nonparametric Statistics",
    3.2). Pure.
    """
    listed = sorted(found)
    half = 0.98 * math.sqrt(len(listed))
    low, high = math.floor(len(listed) / 2 - half), math.ceil(len(listed) / 2 + half)
    ends = listed[max(0, low)], listed[min(len(listed) - 1, high)]
    return Starts(way, statistics.median(listed), *ends, len(listed), tuple(round(each, 2) for each in found))
