"""The guard at the top of a startup file that sends a shell away which is not interactive."""

from __future__ import annotations

from zesty_anchor.shells.sh_tree import parsed


def ends_early(content: bytes) -> int | None:
    """The row (from 0) of the first statement that may end the reading of a file; None where there is none.

    That is a ``return`` or an ``exit`` outside every function; also in the statement that stands last, since
    our line comes below.
    """
    if b"return" not in content and b"exit" not in content:
        return None
    root = parsed(content)
    statements = (node for node in root.named_children if node.type != "comment")
    return next((int(node.start_point[0]) for node in statements if _leaves(node)), None)


_ENDS = (b"return", b"exit", b"exec", b"logout")


def ends_always(content: bytes) -> int | None:
    """The row (from 0) of the first statement that ends the reading of a file in every shell: a ``return``,
    an ``exit`` or an ``exec`` of another program that no condition stands before; None where there is none.
    """
    if not any(word in content for word in _ENDS):
        return None
    for node in parsed(content).named_children:
        if node.type != "command" or not node.named_children:
            continue
        name, more = node.named_children[0].text, len(node.named_children) > 1
        if name in _ENDS and (name != b"exec" or more):
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
