"""At which line of a TOML text a key stands. Read only when something is wrong there."""

from __future__ import annotations

from collections.abc import Iterator
from functools import lru_cache
from typing import Any

Step = str | int


class Lines:
    """The lines of all keys of a text, which is parsed once, when a line is first asked for."""

    def __init__(self, text: str) -> None:
        self._text = text
        self._lines: dict[tuple[Step, ...], int] = {}

    def of(self, path: tuple[Step, ...]) -> int:
        """The line, counted from 1, of the key at ``path``, or of the nearest table around it.

        A step is a key, or the index of an element of an array.
        """
        if not self._lines:
            for each, line in _positions(self._text):
                self._lines.setdefault(each, line)
        for end in range(len(path), 0, -1):
            if path[:end] in self._lines:
                return self._lines[path[:end]]
        return 1


@lru_cache(maxsize=16)
def lines_of(text: str) -> Lines:
    """The lines of a text: of one that was asked about before, the same."""
    return Lines(text)


def line_of(text: str, path: tuple[Step, ...]) -> int:
    """The line of one key; see ``Lines.of``."""
    return lines_of(text).of(path)


def _positions(text: str) -> Iterator[tuple[tuple[Step, ...], int]]:
    # tree-sitter's grammar gives positions, which tomllib does not.
    import tree_sitter_toml
    from tree_sitter import Language, Parser

    root = Parser(Language(tree_sitter_toml.language())).parse(text.encode()).root_node
    counts: dict[tuple[Step, ...], int] = {}
    yield from _pairs(root, ())
    for node in root.children:
        if node.type not in ("table", "table_array_element"):
            continue
        head = next(c for c in node.named_children if c.type in _KEYS)
        path = _under(_keys(head), counts)
        if node.type == "table_array_element":
            counts[path] = counts.get(path, -1) + 1
            path = (*path, counts[path])
        for end in range(1, len(path) + 1):
            yield path[:end], head.start_point[0] + 1
        yield from _pairs(node, path)


_MOST_STEPS = 100
"""How many steps of a path are kept: no table of ours is as deep."""
_KEYS = ("bare_key", "quoted_key", "dotted_key")


def _under(path: tuple[Step, ...], counts: dict[tuple[Step, ...], int]) -> tuple[Step, ...]:
    """The path of a table whose parents may be elements of arrays of tables."""
    full: tuple[Step, ...] = ()
    for place, step in enumerate(path):
        full = (*full, step)
        if full in counts and place < len(path) - 1:
            full = (*full, counts[full])
    return full


def _keys(node: Any) -> tuple[str, ...]:
    found: list[str] = []
    waiting = [node]
    while waiting:
        each = waiting.pop()
        if each.type == "dotted_key":
            waiting += reversed(each.named_children)
        else:
            word: str = each.text.decode()
            found.append(word[1:-1] if each.type == "quoted_key" else word)
    return tuple(found[:_MOST_STEPS])


def _pairs(node: Any, above: tuple[Step, ...]) -> Iterator[tuple[tuple[Step, ...], int]]:
    for pair in node.named_children:
        if pair.type != "pair":
            continue
        key, value = pair.named_children[0], pair.named_children[-1]
        path = above + _keys(key)
        for end in range(len(above) + 1, len(path) + 1):
            yield path[:end], key.start_point[0] + 1
        yield from _values(value, path)


def _values(value: Any, path: tuple[Step, ...]) -> Iterator[tuple[tuple[Step, ...], int]]:
    if value.type == "inline_table":
        yield from _pairs(value, path)
    elif value.type == "array":
        elements = [c for c in value.named_children if c.type != "comment"]
        for index, element in enumerate(elements):
            yield (*path, index), element.start_point[0] + 1
            yield from _values(element, (*path, index))
