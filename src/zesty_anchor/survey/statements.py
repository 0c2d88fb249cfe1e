"""Which statements of a startup file exist for one folder: found with a parser, not by pattern."""

from __future__ import annotations

import os
import re
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import msgspec


class Statement(msgspec.Struct, frozen=True):
    """A statement that speaks of the folder: its bytes ``start`` to ``end`` and its first line, from 1.

    ``serves`` tells whether it exists for the folder alone, so that cutting it loses nothing else.
    """

    start: int
    end: int
    line: int
    text: str
    serves: bool


def statements_about(content: bytes, folder: Path, home: Path) -> list[Statement]:
    """The top-level statements that mention a folder, in order. Pure."""
    if not _may_mention(content, folder, home):
        return []
    import tree_sitter_bash
    from tree_sitter import Language, Parser

    root = Parser(Language(tree_sitter_bash.language())).parse(content).root_node
    found = []
    for node in root.children:
        if node.type == "comment" or not node.is_named:
            continue
        text = os.fsdecode(content[node.start_byte : node.end_byte])
        if _mentions(_plain(text, home), folder):
            start, end, alone = _whole_lines(content, node.start_byte, node.end_byte)
            found.append(
                Statement(start, end, node.start_point[0] + 1, text, alone and _serves(node, content, folder, home))
            )
    return found


def without(content: bytes, statements: list[Statement]) -> bytes:
    """The content with the statements that serve the folder cut out, and no byte beyond."""
    for each in reversed([s for s in statements if s.serves]):
        content = content[: each.start] + content[each.end :]
    return content


def _may_mention(content: bytes, folder: Path, home: Path) -> bool:
    """A quick look before the parser is fetched."""
    tail = folder.relative_to(home) if home in folder.parents else folder
    return os.fsencode(tail.name) in content


def _plain(text: str, home: Path) -> str:
    """Shell text with the home's spellings written out and quotes dropped: good for looking, not for running."""
    text = re.sub(r"""(["']?)\$(?:HOME\b|\{HOME\})\1""", lambda _: str(home), text)
    text = re.sub(r"(?<![\w/.~-])~(?=/|$|:)", lambda _: str(home), text)
    return text.replace('"', "").replace("'", "").replace("\\\n", "")


def _mentions(plain: str, folder: Path) -> bool:
    return re.search(re.escape(str(folder)) + r"(?![\w.-])", plain) is not None


def _within(plain: str, folder: Path) -> bool:
    return plain == str(folder) or plain.startswith(str(folder) + "/")


def _serves(node: Any, content: bytes, folder: Path, home: Path) -> bool:
    if node.type == "variable_assignment":
        assigned = [node]
    elif node.type == "declaration_command":
        assigned = [c for c in node.named_children if c.type == "variable_assignment"]
        if len(assigned) != len(node.named_children):
            return False
    elif node.type == "command":
        words = [_plain(os.fsdecode(content[c.start_byte : c.end_byte]), home) for c in node.named_children]
        return len(words) == 2 and words[0] in (".", "source") and _within(words[1], folder)
    else:
        return False
    return len(assigned) == 1 and all(_assigns(a, content, folder, home) for a in assigned)


def _assigns(node: Any, content: bytes, folder: Path, home: Path) -> bool:
    name, _, value = os.fsdecode(content[node.start_byte : node.end_byte]).partition("=")
    if name.endswith("+") or "$(" in value or "`" in value:
        return False
    parts = list(_path_parts(_plain(value, home)))
    own = [part for part in parts if _within(part, folder)]
    rest = [part for part in parts if part not in own]
    return bool(own) and all(part in (f"${name}", f"${{{name}}}", f"${{{name}-}}") for part in rest)


def _path_parts(value: str) -> Iterator[str]:
    """The parts of a value at its colons, those inside ``${…}`` apart."""
    part, depth = "", 0
    for letter in value:
        depth += (letter == "{") - (letter == "}")
        if letter == ":" and depth == 0:
            yield part
            part = ""
        else:
            part += letter
    yield part


def _whole_lines(content: bytes, start: int, end: int) -> tuple[int, int, bool]:
    """The whole lines of a statement, and whether nothing else stands on them but a comment."""
    begin = content.rfind(b"\n", 0, start) + 1
    stop = content.find(b"\n", end)
    stop = len(content) if stop < 0 else stop + 1
    before, after = content[begin:start].strip(), content[end:stop].strip()
    if after.startswith(b";") and not after.startswith(b";;"):
        after = after[1:].strip()
    return begin, stop, not before and (not after or after.startswith(b"#"))
