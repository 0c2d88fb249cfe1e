"""Edits of the statement that a line of a startup file begins: it is removed, or runs at a terminal only."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

from zesty_anchor.shells.fish_tree import FishParser
from zesty_anchor.shells.sh_tree import parsed
from zesty_anchor.shells.shell import Shell
from zesty_anchor.survey.startup.csh_statements import block_rows
from zesty_anchor.survey.startup.statement import whole_lines

Span = tuple[int, int]
"""The first byte of something, and the one after its last."""


def removed(content: bytes, line: int, shell: Shell, fish: Callable[[], FishParser]) -> bytes:
    """The content without the statement that begins in ``line`` (from 1): a function or a block goes whole.
    Where it is all that a block holds, or shares its line, a command that does nothing takes its place. Pure,
    but that fish reads its own language.
    """
    start, end, alone_in_body = statement_at(content, line, shell, fish)
    begin, stop, alone = whole_lines(content, start, end)
    if alone and not alone_in_body:
        return content[:begin] + content[stop:]
    return content[:start] + shell.nothing.encode() + content[end:]


def guarded(content: bytes, line: int, shell: Shell, fish: Callable[[], FishParser]) -> bytes | None:
    """The content with the statement in ``line`` run only where output goes to a terminal; None where it has
    more than one line. Pure, as ``removed``.
    """
    start, end, _ = statement_at(content, line, shell, fish)
    if b"\n" in content[start:end].rstrip(b"\n") or not content[start:end].strip():
        return None
    return content[:start] + shell.at_terminal.encode() + content[start:]


def statement_at(
    content: bytes, line: int, shell: Shell, fish: Callable[[], FishParser]
) -> tuple[int, int, bool]:
    """The bytes of the largest statement that begins in ``line``, else of the smallest that the line is part
    of; and whether it is all that the block around it holds. Where the language cannot be read, the line.
    """
    row = _row(content, line)
    if not content[slice(*row)].strip():
        return *row, False
    if shell.name == "fish":
        tree = fish().tree(content)
        spans = list(_of_fish(tree)) if tree is not None else []
    elif shell.name == "tcsh":
        spans = [(*block_rows(content, line), False)]
    else:
        root = parsed(content)
        spans = [] if root.has_error else list(_of_sh(root))
    first = row[0] + len(content[slice(*row)]) - len(content[slice(*row)].lstrip())
    begun = [each for each in spans if first <= each[0] < row[1]]
    around = [each for each in spans if each[0] < first and each[1] > first]
    if begun:
        return max(begun, key=lambda each: each[1] - each[0])
    if around:
        return min(around, key=lambda each: each[1] - each[0])
    return first, first + len(content[slice(*row)].strip()), False


def _row(content: bytes, line: int) -> Span:
    """The bytes of a line, with its end."""
    rows = content.splitlines(keepends=True)
    start = sum(map(len, rows[: line - 1]))
    return start, start + (len(rows[line - 1]) if 0 < line <= len(rows) else 0)


_BODIES = ("program", "compound_statement", "do_group", "if_statement", "elif_clause", "else_clause",
           "case_item", "subshell")  # fmt: skip
_NO_STATEMENT = ("comment", "elif_clause", "else_clause", "do_group", "heredoc_body", "heredoc_end")
_HEADS = ("condition", "value")


def _of_sh(node: Any) -> Iterator[tuple[int, int, bool]]:
    """Every statement of a tree, and whether it is alone in its block."""
    if node.type in _BODIES:
        held = [
            child
            for place, child in enumerate(node.children)
            if child.is_named
            and child.type not in _NO_STATEMENT
            and node.field_name_for_child(place) not in _HEADS
        ]
        alone = len(held) == 1 and node.type != "program"
        yield from ((child.start_byte, child.end_byte, alone) for child in held)
    for child in node.children:
        yield from _of_sh(child)


def _of_fish(tree: Any) -> Iterator[tuple[int, int, bool]]:
    """The same of fish, where a block may be empty."""
    for node in tree.walk():
        if node.kind == "job_list":
            yield from ((child.start, child.end, False) for child in node.children if child.end > child.start)
