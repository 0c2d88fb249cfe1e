"""What a shell's start costs: whole starts measured against one another, and the lines of the person's startup files."""

from __future__ import annotations

import math
import os
import statistics
import subprocess
import time
from collections.abc import Iterable, Sequence
from pathlib import Path

import msgspec

from zesty_anchor.shells.fresh import clean_environment
from zesty_anchor.shells.known import SHELLS
from zesty_anchor.shells.marked import marked_rows
from zesty_anchor.shells.sealed import Closed, World, in_copy
from zesty_anchor.shells.shell import Context
from zesty_anchor.survey.machine import InstalledShell, Machine
from zesty_anchor.survey.startup.startup_trace import StartupTrace, trace_startup
from zesty_anchor.system.host import user_name
from zesty_anchor.system.problem import Problem

WAYS = ("as it is", "without ours", "without your files")
"""The homes that a shell is started in, by turns."""
_AT_ONCE = 5
_FEWEST, _MOST_STARTS = 15, 200
_NEAR = 0.05
"""How near the median must be known: half its 95 % interval, as a part of it."""
_TRACES = 5


class Starts(msgspec.Struct, frozen=True):
    """Starts in one home, in milliseconds: the median, and the 95 % interval that it lies in."""

    way: str
    median: float
    low: float
    high: float
    starts: int


class LineCost(msgspec.Struct, frozen=True):
    """A line of a startup file: what it costs at each start, in milliseconds (the median of several), and its text."""

    file: str
    line: int
    milliseconds: float
    text: str


class ShellCost(msgspec.Struct, frozen=True):
    """One shell: its starts in each home, its dearest lines first, and what the lines of ours cost together."""

    shell: str
    starts: tuple[Starts, ...]
    lines: tuple[LineCost, ...]
    ours: float


def start_cost(shell: InstalledShell, machine: Machine, seconds: float) -> ShellCost:
    """Measure one shell for at most so many seconds. Raises ``Problem`` where the system allows no copy of the home."""
    context = _context(shell.name)
    try:
        starts = _starts(shell, context, machine, seconds)
        traces = in_copy(
            World(machine.locations.home),
            lambda home: [trace_startup(shell, context, machine, names=()) for _ in range(_TRACES)],
        )[0]
    except Closed:
        raise Problem(
            "this system allows no copy of the home to start shells in",
            where="user namespaces (user_namespaces(7))",
            advice="have an administrator allow them: sysctl kernel.unprivileged_userns_clone=1",
        ) from None
    lines, ours = line_costs(traces, machine.locations.data)
    return ShellCost(shell.name, starts, lines, ours)


def _context(name: str) -> Context:
    contexts = SHELLS[name].contexts
    return next((c for c in contexts if c.name == "interactive"), next(c for c in contexts if "interactive" in c.name))


def _worlds(machine: Machine) -> dict[str, World]:
    """The home as it is, without what is ours, and with empty startup files."""
    home = machine.locations.home
    held = {file.path: file.content for file in machine.startup.values() if file.content is not None}
    ours = {path: b"".join(row for n, row in enumerate(rows) if n not in marked_rows(rows))
            for path, content in held.items() for rows in [content.splitlines(keepends=True)]}  # fmt: skip
    fish = [file.path for name, file in machine.generated.items() if name == "fish" and file.content is not None]
    return {
        WAYS[0]: World(home),
        WAYS[1]: World(home, texts=ours, gone=tuple(fish)),
        WAYS[2]: World(home, texts=dict.fromkeys(held, b""), gone=tuple(fish)),
    }


def _starts(shell: InstalledShell, context: Context, machine: Machine, seconds: float) -> tuple[Starts, ...]:
    """Starts in each home by turns, until each median is known well enough, or the time is over."""
    environment = clean_environment(
        machine.environ, machine.login_environ, machine.locations.home, shell.program, user_name(), machine.login_path
    )
    words = [shell.program, *context.options, "-c", ":" if shell.name != "fish" else "true"]
    worlds, taken = _worlds(machine), {way: list[float]() for way in WAYS}
    began = time.monotonic()
    while True:
        for way, world in worlds.items():
            taken[way] += in_copy(world, lambda home: [_start(words, environment) for _ in range(_AT_ONCE)])[0]
        told = tuple(spread(way, found) for way, found in taken.items())
        near = all(each.high - each.low <= 2 * _NEAR * each.median for each in told)
        if (near and told[0].starts >= _FEWEST) or told[0].starts >= _MOST_STARTS or time.monotonic() - began > seconds:
            return told


def _start(words: Sequence[str], environment: dict[str, str]) -> float:
    began = time.perf_counter()
    subprocess.run(words, env=environment, cwd=environment["HOME"], stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL,
                   stderr=subprocess.DEVNULL, check=False, start_new_session=True)  # fmt: skip
    return (time.perf_counter() - began) * 1000


def spread(way: str, found: Sequence[float]) -> Starts:
    """The median with its 95 % interval by order statistics (Conover, "Practical Nonparametric Statistics", 3.2). Pure."""
    listed = sorted(found)
    half = 0.98 * math.sqrt(len(listed))
    low, high = math.floor(len(listed) / 2 - half), math.ceil(len(listed) / 2 + half)
    return Starts(way, statistics.median(listed), listed[max(0, low)], listed[min(len(listed) - 1, high)], len(listed))


def line_costs(traces: Iterable[StartupTrace], data: Path) -> tuple[tuple[LineCost, ...], float]:
    """The cost of each line of a file, dearest first, and that of all that stands in files of ours, in milliseconds.

    What telling a line takes is in each step: the lower quartile of all steps of a trace, which are mostly trivial, is taken out. Pure.
    """
    each: dict[tuple[str, int], list[float]] = {}
    texts: dict[tuple[str, int], str] = {}
    own: list[float] = []
    for trace in traces:
        steps = trace.steps
        ends = [*(step.at for step in steps[1:]), max(trace.ended, steps[-1].at) if steps else 0.0]
        took = [end - step.at for step, end in zip(steps, ends, strict=False)]
        if not took:
            continue
        telling = statistics.quantiles(took, n=4)[0] if len(took) > 1 else 0.0
        sums: dict[tuple[str, int], float] = {}
        ours = 0.0
        for step, seconds in zip(steps, took, strict=False):
            cost = max(0.0, seconds - telling)
            if step.file and Path(step.file).is_relative_to(data):
                ours += cost
            elif step.file:
                sums[step.file, step.line] = sums.get((step.file, step.line), 0.0) + cost
                texts.setdefault((step.file, step.line), step.text)
        own.append(ours)
        for place, cost in sums.items():
            each.setdefault(place, []).append(cost)
    lines = [
        LineCost(file, line, statistics.median(costs) * 1000, texts[file, line].split("\n")[0])
        for (file, line), costs in each.items()
    ]
    whole = statistics.median(own) * 1000 if own else 0.0
    return tuple(sorted(lines, key=lambda line: -line.milliseconds)), whole


def written_text(line: LineCost) -> str:
    """The line as it stands in its file; what the shell told of it where that cannot be read."""
    try:
        rows = Path(line.file).read_text("utf-8", "replace").splitlines()
    except OSError:
        rows = []
    return rows[line.line - 1].strip() if 0 < line.line <= len(rows) else os.fsdecode(os.fsencode(line.text))
