"""The lines that an installer wrote into startup files: found by comparing, and thinned of what we do
ourselves.
"""

from __future__ import annotations

import difflib
import os
from collections.abc import Collection, Iterable
from typing import Any

from zesty_anchor.shells.known import SHELLS
from zesty_anchor.shells.sh_tree import parsed

Edited = tuple[str, bytes, bytes]
"""A startup file's language, and its content before and after."""


def caught(edited: Iterable[Edited], known: Collection[str]) -> dict[str, str]:
    """The lines that were added, by language, each once.

    Statements are left out that only put folders on PATH (the shelf's are there already), or set a variable
    whose name is ``known``. Pure.
    """
    found: dict[str, str] = {}
    for language, before, after in edited:
        text = added(before, after)
        if SHELLS[language].like_sh:
            text = _thinned(text, {*known, "PATH"})
        if text.strip() and text not in found.get(language, ""):
            found[language] = found.get(language, "") + text
    return found


def added(before: bytes, after: bytes) -> str:
    """The lines of ``after`` that are not in ``before``, in order. Pure."""
    old, new = before.splitlines(keepends=True), after.splitlines(keepends=True)
    rows: list[bytes] = []
    for kind, _, _, start, end in difflib.SequenceMatcher(None, old, new, autojunk=False).get_opcodes():
        if kind in ("insert", "replace"):
            rows += [row.rstrip(b"\r\n") + b"\n" for row in new[start:end]]
    # A last line that had no line end is counted as changed.
    if old and not old[-1].endswith(b"\n") and old[-1] + b"\n" in rows:
        rows.remove(old[-1] + b"\n")
    return os.fsdecode(b"".join(rows))


def _thinned(text: str, names: Collection[str]) -> str:
    """``text`` without its comments and the statements that only set variables of these names."""
    content = os.fsencode(text)
    kept = []
    for node in parsed(content).children:
        if node.type in ("comment", "\n", ";") or _sets_only(node, content, names):
            continue
        kept.append(content[node.start_byte : node.end_byte] + b"\n")
    return os.fsdecode(b"".join(kept))


def _sets_only(node: Any, content: bytes, names: Collection[str]) -> bool:
    kind = node.type
    parts = [node] if kind == "variable_assignment" else node.named_children
    if kind not in ("variable_assignment", "declaration_command") or not parts:
        return False
    words = (os.fsdecode(content[part.start_byte : part.end_byte]) for part in parts)
    return all(word.partition("=")[0].rstrip("+") in names for word in words)
