"""The steps in what a shell that is like sh writes of itself (``-x``), each brought to the line where its
command begins.
"""

from __future__ import annotations

import os
import re
from collections.abc import Iterable, Iterator
from pathlib import Path

import msgspec

from zesty_anchor.files.text_file import content_of
from zesty_anchor.shells.tracing import FIELD, RECORD
from zesty_anchor.survey.startup.step import Step

FIELDS = ("clock", "file", "line", "inside", "PATH", "depth", "call", "value")
"""What PS4 tells before each command, after a plus."""
_BEGINS = f"{RECORD}+{FIELD}"
_MOST_ROWS = 200


def traced_steps(text: str, own: str = "\0") -> list[Step]:
    """The steps in a trace of a shell that is like sh; ``own`` begins the names of files of ours. Pure."""
    steps = []
    shared: dict[str, str] = {}  # of many thousand steps most are of one file, with one PATH
    began: float | None = None
    evaluated: int | None = None
    for head, command in _records(text):
        fields = head.split(FIELD)
        if len(fields) != len(FIELDS) or fields[1].startswith(own):
            continue
        clock, file, number, inside, path, within, call, value = fields
        at = _seconds(clock)
        began = at if began is None else began
        line = int(number) if number.isdigit() else 0
        if inside == "eval" and evaluated is not None:
            line = evaluated  # zsh counts on inside what is evaluated
        elif command.startswith("eval "):
            evaluated = line
        depth = int(within) if within.isdigit() else 0
        file, path, call, value = (shared.setdefault(each, each) for each in (file, path, call, value))
        steps.append(Step(file, line, at - began, command.rstrip("\n"), path, depth, call, value))
    return steps


def ended_at(text: str, own: str = "\0") -> float:
    """When the last of all records was written, in seconds after the first that is a step: that is when the
    last step was over. Pure.
    """
    told = (head.split(FIELD, 2) for head, _ in _records(text))
    first = next((_seconds(each[0]) for each in told if len(each) > 1 and not each[1].startswith(own)), 0.0)
    begins = len(text)
    while first and (begins := text.rfind(_BEGINS, 0, begins)) >= 0:
        clock = begins + len(_BEGINS)
        if last := _seconds(text[clock : text.find(FIELD, clock)]):
            return last - first
    return 0.0


def _records(text: str) -> Iterator[tuple[str, str]]:
    """What is told before each command, and the command. A shell writes the first letter of PS4 as often as
    it is deep in what is substituted (bash(1), "PS4").
    """
    begins = text.find(_BEGINS)
    while begins >= 0:
        begins += len(_BEGINS)
        ends = text.find(_BEGINS, begins)
        head, _, command = text[begins : ends if ends >= 0 else None].partition(RECORD)
        yield head, command.rstrip(RECORD)
        begins = ends


def _seconds(clock: str) -> float:
    try:
        return float(clock or 0)
    except ValueError:
        return 0.0


class _Files:
    """The lines of the files that a shell read."""

    def __init__(self, readings: Iterable[str]) -> None:
        self._rows: dict[str, list[str]] = {}
        self._read = list(readings)

    def settled(self, step: Step) -> Step:
        """A step at the line where its command begins. mksh and sh tell no file, and ksh counts on over
        nested ones: there the line must speak of what was executed, or another one near it.
        """
        sourced = re.match(r"(?:\.|source) '?(/[^' ]+)'?", step.text)
        if sourced and sourced[1] not in self._read:
            self._read.insert(0, sourced[1])
        key, line = _key(step.text), step.line
        whole = _UNQUOTED.sub("", step.text)
        files = [step.file] if step.file else self._read
        for file in files:
            rows = self.rows(file)
            if 0 < line <= len(rows) and key in rows[line - 1]:
                return msgspec.structs.replace(step, file=file, line=self.first(file, line))
        for file in files:
            holding = [number for number, row in enumerate(self.rows(file), 1) if key in row]
            exact = [number for number in holding if whole in _UNQUOTED.sub("", self.rows(file)[number - 1])]
            if holding := exact or holding:
                near = min(holding, key=lambda number: abs(number - line))
                return msgspec.structs.replace(step, file=file, line=self.first(file, near))
        return step

    def first(self, file: str, line: int) -> int:
        """The first line of a command that is continued over several."""
        rows = self.rows(file)
        while (
            1 < line <= len(rows)
            and rows[line - 2].endswith("\\")
            and not rows[line - 2].lstrip().startswith("#")
        ):
            line -= 1
        return line

    def begun(self, step: Step) -> int:
        """The line at which a command begins whose last line was told: a value over several lines."""
        rows, key = self.rows(step.file), _key(step.text)
        if not 0 < step.line <= len(rows) or key in rows[step.line - 1] or not key.endswith("="):
            return self.first(step.file, step.line)
        above = (n for n in range(step.line, max(0, step.line - _MOST_ROWS), -1) if key in rows[n - 1])
        return self.first(step.file, next(above, step.line))

    def rows(self, file: str) -> list[str]:
        """A file's lines; none where it cannot be read."""
        if file not in self._rows:
            self._rows[file] = os.fsdecode(content_of(Path(file))).splitlines()
        return self._rows[file]


_UNQUOTED = re.compile(r"[\"'\\]")


def _key(text: str) -> str:
    """What a line that was executed must hold: the name that it sets, else its first word."""
    found = re.match(r"(?:export |alias |typeset \S+ )?'?([\w.-]+)\+?=", text)
    return f"{found[1]}=" if found else text.split(" ", 1)[0].strip("'")


def settled(steps: list[Step], readings: Iterable[str], *, exact: bool) -> list[Step]:
    """The steps, each in its file and at the line where its command begins. ``readings`` are the files that
    the shell reads, and ``exact`` tells that it names file and line of each command.
    """
    files = _Files(readings)
    if exact:
        return [msgspec.structs.replace(s, line=files.begun(s)) if s.file else s for s in _at_home(steps)]
    return [files.settled(step) for step in _at_home(steps)]


def _at_home(steps: Iterable[Step]) -> Iterator[Step]:
    """What was read from no file but from what a command printed, at the line that reads it."""
    reads: Step | None = None
    for step in steps:
        if step.file.startswith(("/dev/fd/", "/proc/")) and reads is not None:
            yield msgspec.structs.replace(step, file=reads.file, line=reads.line)
            continue
        if step.file == "/dev/stdin" and reads is not None:  # a here-document, which begins in the next line
            yield msgspec.structs.replace(step, file=reads.file, line=reads.line + step.line)
            continue
        if re.match(r"(?:\.|source) ", step.text):
            reads = step
        yield step
