"""The tree of a fish script, as fish's own parser sees it: ``fish_indent --dump-parse-tree``, fish_indent(1).

That names the nodes in the order of the text, and writes out the words; where they stand is found again from
that.
"""

from __future__ import annotations

import os
import re
import subprocess
from collections.abc import Iterator
from pathlib import Path

import msgspec

from zesty_anchor.shells.syntax import apart

_SECONDS = 5.0
_LEVEL = b"! "
_LEAF = re.compile(rb"(string|argument|redirection|variable_assignment): '(.*)", re.DOTALL)
_PLAIN = bytes(range(128)) + b"x" * 128
"""To fish's grammar a letter beyond ASCII is one like any other; in the dump it depends on the locale."""
_BETWEEN = re.compile(rb"(?:\s|\\\r?\n|[;|]|&(?!>)|(?:^|(?<=[\s;&|]))#[^\n]*)*", re.MULTILINE)
"""What may stand between two words (fish(1), "The fish language"): blanks, ends of commands, comments."""


class Node(msgspec.Struct, frozen=True):
    """A node of the grammar: ``kind`` in fish's own words, the bytes ``start`` to ``end``, and those inside.

    A word or a keyword has a ``text``; whatever else is made of them.
    """

    kind: str
    text: str
    start: int
    end: int
    children: tuple[Node, ...] = ()

    def inside(self, *kinds: str) -> Iterator[Node]:
        """The children of these kinds."""
        return (child for child in self.children if child.kind in kinds)

    def walk(self) -> Iterator[Node]:
        """It and all that is inside, in the order of the text."""
        yield self
        for child in self.children:
            yield from child.walk()


class FishParser:
    """fish's own parser, asked once for each script. ``program`` is a fish, beside which fish_indent
    stands.
    """

    def __init__(self, program: str) -> None:
        self._parser = str(Path(os.path.realpath(program)).with_name("fish_indent"))
        self._trees: dict[bytes, Node | None] = {}

    def tree(self, content: bytes) -> Node | None:
        """The tree of a script, of which nothing is run. None where fish cannot read it, or writes its tree
        in a way that is not known here.
        """
        if content not in self._trees:
            self._trees[content] = _tree(content, self._parser)
        return self._trees[content]


def _tree(content: bytes, parser: str) -> Node | None:
    try:
        with apart() as (_, environment):
            done = subprocess.run(
                [parser, "--dump-parse-tree"], input=content.translate(_PLAIN), capture_output=True,
                timeout=_SECONDS,
                check=False, env=environment,
            )  # fmt: skip
    except (OSError, subprocess.TimeoutExpired):
        return None
    dump = done.stderr if b"job_list\n" in done.stderr else done.stdout
    dump = dump[max(0, dump.find(b"job_list\n")) :]
    return placed(dump, content) if done.returncode == 0 else None


def placed(dump: bytes, content: bytes) -> Node | None:
    """The tree that a dump tells of, with the places of its words in the content; None where the two do not
    fit. Pure.
    """
    rows, plain = dump.split(b"\n"), content.translate(_PLAIN)
    # Of each level the node that is being read: its kind, its word with the place of that, and its children.
    open_nodes: list[tuple[str, str, int, int, list[Node]]] = []
    at = number = 0
    while number < len(rows):
        level, name = _levels(rows[number])
        number += 1
        if level == 0 and name != b"job_list":
            break
        kind, word, number = _worded(name, rows, number)
        place = at
        if word:
            between = _BETWEEN.match(plain, at)
            place = between.end() if between else at
            if not plain.startswith(word, place):  # the dump leaves out some words, such as VARIABLE=VALUE
                place = plain.find(word, place)
            if place < 0:
                return None
            at = place + len(word)
        _close(open_nodes, level)
        if level != len(open_nodes):
            return None
        open_nodes.append(
            (os.fsdecode(kind), os.fsdecode(content[place : place + len(word)]), place, place + len(word), [])
        )
    _close(open_nodes, 1)
    return _closed(open_nodes.pop()) if open_nodes else None


def _levels(row: bytes) -> tuple[int, bytes]:
    level = 0
    while row.startswith(_LEVEL, level * len(_LEVEL)):
        level += 1
    return level, row[level * len(_LEVEL) :]


def _worded(name: bytes, rows: list[bytes], number: int) -> tuple[bytes, bytes, int]:
    """The kind of a node, its word, which may go on over the rows from ``number``, and the row after it."""
    keyword, leaf = name.removeprefix(b"keyword: "), _LEAF.fullmatch(name)
    if keyword != name:
        return b"keyword", keyword, number
    if leaf is None:
        return name, b"", number
    word = leaf[2]
    while number < len(rows) and rows[number] and not rows[number].startswith(_LEVEL):
        word += b"\n" + rows[number]
        number += 1
    return leaf[1], word.removesuffix(b"'"), number


def _close(open_nodes: list[tuple[str, str, int, int, list[Node]]], level: int) -> None:
    while len(open_nodes) > level:
        node = _closed(open_nodes.pop())
        if open_nodes:
            open_nodes[-1][4].append(node)


def _closed(node: tuple[str, str, int, int, list[Node]]) -> Node:
    kind, word, start, end, children = node
    wide = [child for child in children if child.end > child.start]
    if not wide:
        return Node(kind, word, start, end, tuple(children))
    return Node(kind, word, wide[0].start, wide[-1].end, tuple(children))
