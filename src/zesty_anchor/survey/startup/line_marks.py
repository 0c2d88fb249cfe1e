"""Startup files that tell when each of their statements begins, for the shells that have a clock of their
own.

A trace (``-x``) tells each command, and telling takes longer than most commands. So the cost of a statement
is measured in copies of the files in which one mark stands before each statement of the top level, on its
line: bash(1) and mksh(1), "EPOCHREALTIME"; zshmodules(1), "The zsh/datetime Module"; ksh(1), "SECONDS".
"""

from __future__ import annotations

import re
import statistics
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from itertools import pairwise
from pathlib import Path

import msgspec

from zesty_anchor.shells.posix import quote
from zesty_anchor.shells.sh_tree import parsed

_NO_STATEMENT = ("comment", ";", "\n", "&", "heredoc_body")
_DEFINES = re.compile(rb"function\b|[\w.:-]+ ?\(\)")
_MOST_LINES = 400
"""Lines of a file that the shell is asked about, where the parser does not know all of it."""
_TRIES = 20
"""How often a mark is set after another at the end, to know what one takes."""


class Statement(msgspec.Struct, frozen=True, order=True):
    """A statement of the top level: its file, its first line and its last, and whether it only defines a
    function.
    """

    file: str
    line: int
    last: int
    defines: bool = False


class Marked(msgspec.Struct, frozen=True):
    """Files with marks: their texts, the statements that have one, and the command that writes the marks to a
    file.
    """

    texts: Mapping[Path, bytes]
    statements: tuple[Statement, ...]
    files: tuple[str, ...]

    def ending(self, file: Path) -> str:
        """What the shell runs at the end of its start."""
        again = " ".join(f"za_mark 0 {number};" for number in range(_TRIES))
        return f"za_mark 0 0; {again} printf '%s\\n' \"${{za_marks[@]}}\" >{quote(str(file))}"


Whole = Callable[[bytes], bool]
"""Whether the shell itself takes a text for a script."""


def marked(clock: str, contents: Mapping[Path, bytes], whole: Whole) -> Marked | None:
    """Files with a mark before each statement that begins a line; one that the shell would not take for a
    ``whole`` script then is left as it is. ``clock`` defines za_mark; None where the shell has none (empty).
    Pure but for ``whole``.
    """
    if not clock:
        return None
    texts: dict[Path, bytes] = {}
    statements: list[Statement] = []
    names = list(map(str, contents))
    for number, (path, content) in enumerate(contents.items(), 1):
        found = list(_first_on_line(content, whole))
        if not found:
            continue
        at, parts = 0, [f"typeset -f za_mark >/dev/null || {{ {clock}; }}; ".encode()]
        for start, _ in found:
            line = content.count(b"\n", 0, start) + 1
            parts += [content[at:start], f"za_mark {number} {line}; ".encode()]
            at = start
        text = b"".join([*parts, content[at:]])
        if whole(text):
            texts[path] = text
            statements += [msgspec.structs.replace(statement, file=str(path)) for _, statement in found]
    return Marked(texts, tuple(statements), tuple(names))


def _first_on_line(content: bytes, whole: Whole) -> Iterator[tuple[int, Statement]]:
    """The statements of the top level, with the byte where each starts; their file is not named yet."""
    root = parsed(content)
    if root.has_error:
        yield from _by_line(content, whole)
        return
    for node in root.children:
        begin = content.rfind(b"\n", 0, node.start_byte) + 1
        if node.type not in _NO_STATEMENT and not content[begin : node.start_byte].strip():
            defines = node.type == "function_definition"
            yield node.start_byte, Statement("", node.start_point[0] + 1, node.end_point[0] + 1, defines)


def _by_line(content: bytes, whole: Whole) -> Iterator[tuple[int, Statement]]:
    """The same by asking the shell: a statement begins where all before it is a script."""
    rows = content.splitlines(keepends=True)
    starts: list[tuple[int, int]] = []
    at = 0
    for number, row in enumerate(rows[:_MOST_LINES], 1):
        text = row.strip()
        if text and not text.startswith(b"#") and whole(content[:at]):
            starts.append((at + len(row) - len(row.lstrip()), number))
        at += len(row)
    for (start, line), following in zip(starts, [*starts[1:], (0, len(rows) + 1)], strict=True):
        defines = _DEFINES.match(content[start:]) is not None
        yield start, Statement("", line, following[1] - 1, defines)


def measured(text: str, files: Sequence[str]) -> dict[tuple[str, int], float]:
    """What each statement took in one start, in seconds, by its file and line: without those of files that it
    read, and without what the mark took. Pure.
    """
    rows = [row.split() for row in text.splitlines() if re.fullmatch(r"\d+ \d+ [\d.,]+", row)]
    marks = [(int(file), int(line), float(clock.replace(",", "."))) for file, line, clock in rows]
    tries = [mark for mark in marks if mark[0] == 0]
    own = statistics.median([b[2] - a[2] for a, b in pairwise(tries)] or [0.0])
    costs: dict[tuple[str, int], float] = {}
    for (file, line, at), (_, _, until) in pairwise(marks):
        if file:
            place = (files[file - 1], line)
            costs[place] = costs.get(place, 0.0) + max(0.0, until - at - own)
    return costs


def undisturbed(starts: Iterable[Mapping[tuple[str, int], float]]) -> dict[tuple[str, int], float]:
    """The lower quartile of each statement's cost: what else runs on the machine only ever makes one longer.
    Pure.
    """
    found: dict[tuple[str, int], list[float]] = {}
    for each in starts:
        for place, cost in each.items():
            found.setdefault(place, []).append(cost)
    return {place: sorted(costs)[len(costs) // 4] for place, costs in found.items()}
