"""The tree of a script in a language like sh's, as tree-sitter-bash sees it. Nothing is run."""

from __future__ import annotations

from typing import Any


def parsed(content: bytes) -> Any:
    """The root of a text's tree; its ``has_error`` tells that the grammar did not know all of it. Pure."""
    # Most commands parse nothing.
    import tree_sitter_bash
    from tree_sitter import Language, Parser

    return Parser(Language(tree_sitter_bash.language())).parse(content).root_node
