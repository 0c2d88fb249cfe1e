"""The guard at the top of a startup file that sends a shell away which is not interactive."""

from __future__ import annotations

from zesty_anchor.shells.sh_tree import parsed


def ends_early(content: bytes) -> int | None:
    """The row (from 0) of the first statement that may end the reading of a file; None where there is none.

    That is a ``return`` or an ``exit`` outside every function, in a statement that does not stand last.
    """
    if b"return" not in content and b"exit" not in content:
        return None
    root = parsed(content)
    statements = [node for node in root.named_children if node.type != "comment"]
    for node in statements[:-1]:
        if _leaves(node):
            return int(node.start_point[0])
    return None


def _leaves(node: object) -> bool:
    waiting = [node]
    while waiting:
        each = waiting.pop()
        if each.type in ("function_definition", "subshell", "command_substitution"):  # type: ignore[attr-defined]
            continue
        if each.type == "command_name" and each.text in (b"return", b"exit"):  # type: ignore[attr-defined]
            return True
        waiting += each.children  # type: ignore[attr-defined]
    return False
