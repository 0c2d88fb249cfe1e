"""The tree of a script in a language like sh's, as tree-sitter-bash sees it. Nothing is run."""

from __future__ import annotations

from typing import Any


def parsed(content: bytes) -> Any:
    """The root of a text's tree; its ``has_error`` tells that the grammar did not know all of it. Pure."""
    # Most commands parse nothing.
    import tree_sitter_bash
    from tree_sitter import Language, Parser

    return Parser(Language(tree_sitter_bash.language())).parse(content).root_node


def first_error(content: bytes) -> int:
    """The number of the row where what cannot be read begins; 0 where all can. Pure."""
    waiting, rows = [parsed(content)], []
    while waiting:
        node = waiting.pop()
        if node.is_missing or node.type == "ERROR":
            begun = node.parent if node.is_missing else node
            rows.append(int(begun.start_point[0]) + 1)
        waiting += [child for child in node.children if child.has_error or child.is_missing]
    return min(rows, default=0)
