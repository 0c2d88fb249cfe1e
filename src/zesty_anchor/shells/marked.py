"""Which rows of a startup file are ours: by its tree, not by how a row ends."""

from __future__ import annotations

from zesty_anchor.shells.reading import MARK
from zesty_anchor.shells.sh_tree import parsed

_MARK = MARK.encode()


def marked_rows(rows: list[bytes]) -> set[int]:
    """The numbers of the rows (from 0) that are a line of ours, whoever moved or changed it. One in a
    here-document, a string or a comment is the person's text. Pure.
    """
    held = (n for n, row in enumerate(rows) if _MARK in row)
    found = {n for n in held if rows[n].rstrip().endswith(_MARK) and not rows[n].lstrip().startswith(b"#")}
    if not found or not _in_doubt(rows, found):
        return found
    root = parsed(b"".join(rows))
    if root.has_error:  # no shell reads it either: what ends like ours is ours
        return found
    comments = set()
    waiting = [root]
    while waiting:
        node = waiting.pop()
        if node.type == "comment" and node.text.rstrip() == _MARK:
            comments.add(int(node.start_point[0]))
        waiting += node.children
    return found & comments


def _in_doubt(rows: list[bytes], found: set[int]) -> bool:
    """Whether one of them may stand inside something that takes more than a row. tcsh has no tree here; its
    lines are told by how they begin.
    """
    if all(rows[n].startswith(b"if ( -r ") for n in found):
        return False
    above = [b"".join(rows[:n]) for n in found]
    return any(
        b"<<" in each or b"`" in each or each.count(b"'") % 2 or each.count(b'"') % 2 for each in above
    )
