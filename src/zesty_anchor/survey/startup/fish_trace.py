"""What a fresh fish executed, line by line: its startup profile and its trace, put together.

The profile (fish(1), ``--profile-startup``) has each command as written, with its time and its depth; the
trace ("fish_trace", in "Debugging") has it as executed, with all variables written out. Neither tells a line:
where a command stands follows from the file that is being read, and from its place in that file.
"""

from __future__ import annotations

import os
import re
from bisect import bisect_left
from collections.abc import Callable, Iterator
from pathlib import Path

import msgspec

from zesty_anchor.shells.fish_tree import Node
from zesty_anchor.survey.startup.fish_words import fish_words
from zesty_anchor.survey.startup.step import Step

_ROW = re.compile(r"(\d+)\t(\d+)\t(-*)> ?(.*)", re.DOTALL)
_TRACED = re.compile(r"-*> (.*)")
_BLOCKS = ("if", "for", "while", "begin", "switch", "function")
_BEFORE = ("not", "!", "and", "or", "time", "command", "builtin", "exec")
_BEHIND, _AHEAD = 40, 60
"""How far from where the last one was a command of the trace is looked for in the profile."""

_BEFORE_COMMAND = b" \t\n\r\f\v;(|&"
_EXPANDED = re.compile(r"\$?\([^()]*\)|'[^']*'|\"[^\"]*\"|[|;>].*", re.DOTALL)
_PLAIN = re.compile(r"[\w./+-]+")

Reader = Callable[[str], tuple[bytes, Node | None]]
"""Gives a file's content, and its tree; empty where it cannot be read."""


class _Row(msgspec.Struct):
    """A row of the profile; ``executed`` are its words with all written out, where the trace had it."""

    depth: int
    at: float
    text: str
    executed: str = ""

    def words(self) -> list[str]:
        """Its words, from the command's name on."""
        words = self.text.split()
        while words and words[0] in _BEFORE:
            words.pop(0)
        return words or [""]

    def unexpanded(self) -> list[str]:
        """Its words that need no expansion, and so are executed as they are written."""
        own, inner = self.text, None
        while own != inner:
            inner, own = own, _EXPANDED.sub("$", own, count=1)
        return [word for word in own.split()[1:] if _PLAIN.fullmatch(word) and word not in _BEFORE]


class _Span:
    """A part of a file whose commands are being executed, and how far that has come."""

    def __init__(self, file: str, content: bytes, blocks: dict[int, int], start: int, stop: int) -> None:
        self.file = file
        self._content = content
        self._blocks = blocks
        self._start = self._at = start
        self._stop = stop

    def find(self, text: str) -> int | None:
        """Where a command stands: the next place from here, else the first one, since a loop comes round
        again.
        """
        for written in dict.fromkeys((text, text.removesuffix("..."))):
            key = os.fsencode(written)
            for start in (self._at, self._start):
                place = self._begins(key, start)
                if place is not None:
                    self._at = max(place + len(key), self._blocks.get(place, 0))
                    return place
        return None

    def _begins(self, key: bytes, start: int) -> int | None:
        """The first place from ``start`` where a command may begin, and this one does."""
        place = self._content.find(key, start, self._stop)
        while place > 0 and self._content[place - 1] not in _BEFORE_COMMAND:
            place = self._content.find(key, place + 1, self._stop)
        return place if place >= 0 else None

    def line(self, place: int) -> int:
        return self._content.count(b"\n", 0, place) + 1

    def block(self, place: int) -> _Span:
        """The block that begins at a place."""
        return _Span(self.file, self._content, self._blocks, place + 1, self._blocks.get(place, self._stop))


class _Frame(msgspec.Struct, frozen=True):
    """What is being executed at a depth: its lines, and the place that speaks for it where they are not a
    person's.
    """

    depth: int
    span: _Span | None
    file: str
    line: int
    call: str = ""
    """The line that called the function which it is in."""


def fish_steps(profile: str, traced: str, read: Reader, home: str, path: str) -> list[Step]:
    """The steps of a start. What a function of fish's own did stands at the line that called it. ``path`` is
    PATH at the start. Pure but for ``read``.
    """
    rows = list(_rows(profile))
    _match(rows, [found[1] for row in traced.split("\n") if (found := _TRACED.fullmatch(row))])
    return list(_Walk(rows, read, home).steps(path))


class _Walk:
    """Goes through the rows of a start, with the lines that are being executed at each depth."""

    def __init__(self, rows: list[_Row], read: Reader, home: str) -> None:
        self._rows = rows
        self._read = read
        self._home = home
        self._own = os.path.dirname(_sourced(rows[0], home)) if rows else ""
        self._functions: dict[str, _Span] = {}

    def steps(self, path: str) -> Iterator[Step]:
        """A step for each row."""
        frames: list[_Frame] = []
        for row in self._rows:
            while frames and frames[-1].depth >= row.depth:
                frames.pop()
            around = frames[-1] if frames else _Frame(-1, None, "", 0)
            place = around.span.find(row.text) if around.span else None
            file, line = around.file, around.line
            if around.span is not None and place is not None:
                file, line = around.span.file, around.span.line(place)
            yield Step(file, line, row.at, row.executed or row.text, path, call=around.call)
            path = _path_after(row.executed, path)
            call = f"{file}:{line}" if row.words()[0] in self._functions and not around.call else around.call
            frames.append(_Frame(row.depth, self._inside(row, around.span, place), file, line, call))

    def _inside(self, row: _Row, around: _Span | None, place: int | None) -> _Span | None:
        """The lines that are executed inside a command: those of a block, a file, or a function."""
        words = row.words()
        if words[0] in _BLOCKS and around is not None and place is not None:
            block = around.block(place)
            if words[0] == "function" and len(words) > 1:
                self._functions[words[1].removesuffix("...")] = block
            return block
        if words[0] in ("source", "."):
            return self._of_file(_sourced(row, self._home))
        return self._functions.get(words[0])

    def _of_file(self, file: str) -> _Span | None:
        if not file or file.startswith(f"{self._own}/"):
            return None
        content, tree = self._read(file)
        blocks = (
            {each.start: each.end for each in tree.walk() if each.kind.endswith("_statement")} if tree else {}
        )
        return _Span(file, content, blocks, 0, len(content))


def _rows(profile: str) -> Iterator[_Row]:
    at, row = 0.0, None
    for line in profile.split("\n"):
        found = _ROW.fullmatch(line)
        if found is None:
            if row is not None:
                row.text += f"\n{line}"
            continue
        if row is not None:
            yield row
        row = _Row(len(found[3]), at, found[4])
        at += int(found[1]) / 1e6
    if row is not None:
        row.text = row.text.rstrip("\n")
        yield row


def profile_ended(profile: str) -> float:
    """When the last command of a profile was over, in seconds after the first began. Pure."""
    return sum(int(found[1]) for line in profile.split("\n") if (found := _ROW.fullmatch(line))) / 1e6


def _sourced(row: _Row, home: str) -> str:
    """The file that a command reads."""
    words = fish_words(row.executed) if row.executed else row.words()
    file = next((word for word in words[1:] if not word.startswith("-")), "")
    file = re.sub(r"^~(?=/)|\$HOME\b", lambda _: home, file.strip("\"'"))
    return str(Path(file)) if file.startswith("/") else ""


def _match(rows: list[_Row], executed: list[str]) -> None:
    """Give each row what was executed for it. Both come in the order of execution, but a command stands in
    the trace after those that it substitutes, and some stand in one of the two alone.
    """
    last = 0
    named: dict[str, list[int]] = {}
    for number, row in enumerate(rows):
        head = row.words()[0]
        if head not in _BLOCKS:
            named.setdefault("$" if head[:1] == "$" else head, []).append(number)
    needed: dict[int, frozenset[str]] = {}
    for text in executed:
        words = text.split(" ")
        held = frozenset(words)
        near = [_between(named.get(head, []), last - _BEHIND, last + _AHEAD) for head in {words[0], "$"}]
        for number in sorted(each for some in near for each in some if not rows[each].executed):
            if number not in needed:
                needed[number] = frozenset(rows[number].unexpanded())
            if needed[number] <= held:
                rows[number].executed = text
                last = number
                break


def _between(numbers: list[int], low: int, high: int) -> list[int]:
    """Those of numbers in order that are at least ``low`` and less than ``high``."""
    return numbers[bisect_left(numbers, low) : bisect_left(numbers, high)]


def _path_after(executed: str, path: str) -> str:
    """PATH after a command, which matters where that is ``set``."""
    if not executed.startswith("set ") or not any(name in executed for name in ("PATH", "fish_user_paths")):
        return path
    words = fish_words(executed)[1:]
    options = "".join(word[1:] for word in words if re.fullmatch(r"-[A-Za-z]+", word))
    long = [word for word in words if word.startswith("--")]
    rest = [word for word in words if not word.startswith("-")]
    if rest and rest[0] == "fish_user_paths" and len(rest) > 1:  # a handler of fish's own puts them first
        return ":".join([*rest[1:], *(part for part in path.split(":") if part not in rest[1:])])
    if (
        not rest
        or rest[0] != "PATH"
        or set(options) & set("qleSn")
        or {"--query", "--local", "--erase"} & set(long)
    ):
        return path
    parts = [part for word in rest[1:] for part in word.split(":")]
    if "a" in options or "--append" in long:
        parts = [*path.split(":"), *parts]
    elif "p" in options or "--prepend" in long:
        parts = [*parts, *path.split(":")]
    return ":".join(parts)
