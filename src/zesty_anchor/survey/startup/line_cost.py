"""What each line of a person's startup files costs at a start of a shell."""

from __future__ import annotations

import os
import re
import statistics
from collections.abc import Iterable, Mapping
from pathlib import Path

import msgspec

from zesty_anchor.shells.known import SHELLS
from zesty_anchor.survey.startup.line_marks import Statement
from zesty_anchor.survey.startup.startup_trace import StartupTrace
from zesty_anchor.survey.startup.step import Step

DEAR_SECONDS = 0.05
"""A line that takes longer comes with what can be done about it."""
_DEFINES = re.compile(r"function\b|[\w.:-]+ ?\(\)")
_READS = re.compile(r"(?:builtin |command )?(?:\.|source)\s")


class Part(msgspec.Struct, frozen=True):
    """A line of a function that a line called, and what it took of that line's time, in milliseconds."""

    file: str
    line: int
    milliseconds: float


class LineCost(msgspec.Struct, frozen=True):
    """A line of a startup file: what it costs at each start, in milliseconds, with the functions that it
    calls, whose lines are the ``parts``; and its text as it is written. ``under`` is the line that read its
    file, as ``FILE:LINE`` (empty: the shell itself).
    """

    file: str
    line: int
    milliseconds: float
    text: str
    under: str = ""
    parts: tuple[Part, ...] = ()


Place = tuple[str, int]
"""A file and a line of it."""


class _Share(msgspec.Struct, frozen=True):
    """What a line was executed for: the statement with a mark (None: none), the line that is not in a
    function, and the line itself.
    """

    statement: Statement | None
    top: Place
    place: Place


class Told(msgspec.Struct, frozen=True):
    """What traces tell: what each line took in seconds, the text of each, what read each file, and the cost
    of all that stands in files of ours, in milliseconds.
    """

    costs: Mapping[_Share, float]
    texts: Mapping[Place, str]
    readers: Mapping[str, Place]
    ours: float


def told_by(traces: Iterable[StartupTrace], data: Path, statements: Iterable[Statement] = ()) -> Told:
    """Add up what each line took in each trace, and take the medians.

    What telling a line takes is in each step: the lower quartile of all steps of a trace, which are mostly
    trivial, is taken out. Pure.
    """
    found: dict[_Share, list[float]] = {}
    texts: dict[Place, str] = {}
    readers: dict[str, Place] = {}
    own: list[float] = []
    listed = list(statements)
    for trace in traces:
        if not trace.steps:
            continue
        one = _Walk(data, listed, readers, texts)
        for step, seconds in zip(trace.steps, _without_telling(trace), strict=True):
            one.step(step, seconds)
        own.append(one.ours)
        for share, cost in one.sums.items():
            found.setdefault(share, []).append(cost)
    costs = {share: statistics.median(each) for share, each in found.items()}
    return Told(costs, texts, readers, statistics.median(own) * 1000 if own else 0.0)


def _without_telling(trace: StartupTrace) -> list[float]:
    """What each step took, in seconds. A profile of fish tells that without the telling."""
    steps = trace.steps
    ends = [*(step.at for step in steps[1:]), max(trace.ended, steps[-1].at)]
    took = [end - step.at for step, end in zip(steps, ends, strict=True)]
    telling = (
        statistics.quantiles(took, n=4)[0] if len(took) > 1 and not SHELLS[trace.shell].profiles else 0.0
    )
    return [max(0.0, each - telling) for each in took]


class _Walk:
    """Goes through the steps of one start."""

    def __init__(
        self, data: Path, statements: Iterable[Statement], readers: dict[str, Place], texts: dict[Place, str]
    ) -> None:
        self._data = data
        self._readers = readers
        self._texts = texts
        self._within: dict[str, list[Statement]] = {}
        for each in statements:
            self._within.setdefault(each.file, []).append(each)
        self._statement: Statement | None = None
        self._top: Place | None = None
        self._reader: Place | None = None
        self.sums: dict[_Share, float] = {}
        self.ours = 0.0

    def step(self, step: Step, seconds: float) -> None:
        """Add one."""
        if step.file and Path(step.file).is_relative_to(self._data):
            self.ours += seconds
            return
        place = (step.file, step.line) if step.file.startswith("/") else self._top
        if place is None:
            return
        file, line = place
        if self._reader is not None and file not in self._readers and file != self._reader[0]:
            self._readers[file] = self._reader
        self._reader = place if _READS.match(step.text) else None
        statement = next((s for s in self._within.get(file, ()) if s.line <= line <= s.last), None)
        called = (step.call and step.called_from is not None) or (
            statement is not None and statement.defines and not _DEFINES.match(step.text)
        )
        if not called or self._top is None:
            self._statement, self._top = statement, place
        share = _Share(self._statement, self._top, place)
        self.sums[share] = self.sums.get(share, 0.0) + seconds
        self._texts.setdefault(place, step.text.split("\n")[0])


def line_costs(told: Told, measured: Mapping[Place, float] | None = None) -> tuple[LineCost, ...]:
    """The cost of each line, the dearest first. What a statement took by its marks is shared out among its
    lines as the traces have it; a line of no statement with a mark costs what the traces say. Pure but for
    reading the lines' texts.
    """
    left = dict(measured or {})
    shares: dict[Statement | None, dict[_Share, float]] = {}
    for share, cost in told.costs.items():
        known = share.statement is not None and (share.statement.file, share.statement.line) in left
        shares.setdefault(share.statement if known else None, {})[share] = cost
    sums: dict[Place, dict[Place, float]] = {}
    for statement, costs in shares.items():
        weight = sum(costs.values())
        whole = left.pop((statement.file, statement.line)) if statement is not None else weight
        if not weight and statement is not None:
            left[statement.file, statement.line] = whole
        for share, cost in costs.items():
            held = sums.setdefault(share.top, {})
            held[share.place] = held.get(share.place, 0.0) + (whole * cost / weight if weight else 0.0)
    for place, cost in left.items():  # what the traces did not tell
        held = sums.setdefault(place, {})
        held[place] = held.get(place, 0.0) + cost
    found = [_line(told, place, held) for place, held in sums.items()]
    return tuple(sorted(found, key=lambda each: -each.milliseconds))


def _line(told: Told, top: Place, held: Mapping[Place, float]) -> LineCost:
    reader = told.readers.get(top[0])
    parts = tuple(Part(*place, cost * 1000) for place, cost in sorted(held.items()) if place != top)
    text = written_text(*top, told.texts.get(top, ""))
    under = f"{reader[0]}:{reader[1]}" if reader else ""
    return LineCost(*top, sum(held.values()) * 1000, text, under, parts)


def written_text(file: str, line: int, told: str = "") -> str:
    """A line as it stands in its file; what the shell ``told`` of it where that cannot be read."""
    try:
        rows = Path(file).read_text("utf-8", "replace").splitlines()
    except OSError:
        rows = []
    return rows[line - 1].strip() if 0 < line <= len(rows) else os.fsdecode(os.fsencode(told))


_RUNS = r"\$\(|`|\(\S"
"""Where a line holds the output of a command: in sh and its relatives, and in fish."""
_FIXES = (
    (
        rf"(?:eval|source|\.)\b.*(?:{_RUNS}|<\()|.*\|\s*(?:source|\.)(?:\s|$)",
        "cache the output in a file, source that, and regenerate it when the program is upgraded",
    ),
    (r"(?:source|\.)\s", "it reads that file: zesty-anchor timing -v shows which of its lines take long"),
    (
        r"(?:for|foreach|while|until|repeat)\b",
        "move the loop into a function, and call that when it is needed",
    ),
    (
        rf"(?:(?:export\s+)?\w+=|setenv\s+\w+\s|set\s+(?:-\S+\s+)*\w+\s).*(?:{_RUNS})",
        "write the value down, or run the command where the value is needed",
    ),
)
"""What a line does, as the pattern of its text, with what can be done about it; the first that fits."""


def fix_for(text: str) -> str:
    """What can be done about a line that takes long, by what it does. Pure."""
    fitting = (fix for pattern, fix in _FIXES if re.match(pattern, text.strip().removeprefix("\\")))
    return next(fitting, "move it into a function that runs it when it is needed, or remove it")
