"""fish's universal variables: what a person once set for all its shells, ``fish_add_path`` at a prompt above
all.

They stand in the file fish_variables (fish(1), "Universal variables"), a variable a line: ``SETUVAR
NAME:VALUE``, where ``\\\\x1e`` parts the entries of a list and what is no letter is written as its code.
"""

from __future__ import annotations

import os
import re
from collections.abc import Iterator

import msgspec

from zesty_anchor.survey.startup.fish_words import unescaped
from zesty_anchor.survey.startup.places import Known, Places
from zesty_anchor.survey.startup.statement import LISTS, Statement

FILE = "fish_variables"
_LINE = re.compile(rb"SETUVAR(?: --\w+)* (\w+):([^\r\n]*)\r?\n?")
_BETWEEN = b"\\x1e"


class Universal(msgspec.Struct, frozen=True):
    """A variable: its line, from 1, the bytes that this takes, and its entries, each with its first byte."""

    name: str
    line: int
    start: int
    end: int
    entries: tuple[tuple[int, str], ...]


def universal_variables(content: bytes) -> Iterator[Universal]:
    """The variables in a file's content, in order. Pure."""
    at = 0
    for number, row in enumerate(content.splitlines(keepends=True), 1):
        found = _LINE.fullmatch(row)
        if found:
            place, entries = at + found.start(2), []
            for value in found[2].split(_BETWEEN):
                entries.append((place, unescaped(os.fsdecode(value))))
                place += len(value) + len(_BETWEEN)
            yield Universal(found[1].decode(), number, at, at + len(row), tuple(entries))
        at += len(row)


def universal_statements_about(content: bytes, places: Places, known: Known | None = None) -> list[Statement]:
    """The variables, or the entries of lists of folders, that stand for what is to go; see
    ``statements_about``. Pure.
    """
    known = dict(places.known) if known is None else known
    found = []
    for each in universal_variables(content):
        values = [value for _, value in each.entries]
        own = [value for value in values if places.within(value)]
        text = f"set -U {each.name} {' '.join(values)}"
        if own == values or each.name in places.names:
            if len(values) == 1 and each.name not in LISTS and own:
                known[each.name] = values[0]
            names = frozenset({each.name} - LISTS)
            found.append(Statement(each.start, each.end, each.line, text, serves=True, names=names))
        elif own and each.name in LISTS:
            found += [Statement(*span, each.line, text, serves=True) for span in _spans(each, content, own)]
        elif own or any(places.speaks(value) for value in values):
            found.append(Statement(each.start, each.end, each.line, text, serves=False))
    return found


def _spans(variable: Universal, content: bytes, own: list[str]) -> Iterator[tuple[int, int]]:
    """The bytes of entries, each with what parts it from the next, or for the last ones from those before."""
    starts = [start for start, _ in variable.entries]
    end = variable.start + len(content[variable.start : variable.end].rstrip(b"\r\n"))
    goes = [value in own for _, value in variable.entries]
    kept_last = max(number for number, each in enumerate(goes) if not each)
    for number, each in enumerate(goes):
        if each and number < kept_last:
            yield starts[number], starts[number + 1]
        elif each:
            yield (
                starts[number] - len(_BETWEEN),
                starts[number + 1] - len(_BETWEEN) if number + 1 < len(starts) else end,
            )
