"""The words of a script in a language like sh's, looked at for what is to go."""

from __future__ import annotations

import os
import re
from collections.abc import Iterable
from typing import Any

from zesty_anchor.survey.startup.places import Known, Places

NOWHERE = re.compile(r"\d*(?:&>>?|>>?&?)\s*(?:/dev/null|\d|-)")
"""A redirection that writes into no file: away, or to where another goes."""
RUNS = re.compile(r"(?:\$\(|<\(|`)\s*([^()|;&`\n]+?)(?:\s+\d*>\s*/dev/null|\s+2>&1)*\s*(?:\)|`)")
"""The output of one command."""


class ShWords:
    """The text of one file, and what its words stand for. ``known`` are the variables that lead to what is to
    go.
    """

    def __init__(self, content: bytes, places: Places, known: Known) -> None:
        self._content = content
        self._places = places
        self._known = known

    def _left(self, node: Any, cut: Iterable[tuple[int, int]]) -> str:
        """A statement's text without what is cut out of it."""
        text, at = b"", node.start_byte
        for start, end in sorted(cut):
            text += self._content[at:start]
            at = max(at, end)
        return os.fsdecode(text + self._content[at : node.end_byte])

    def _pieces(self, nodes: Iterable[Any]) -> list[tuple[Any, int, int]]:
        """Nodes that touch one another are one word: the grammar parts ``a=$b:$c/d`` at the second dollar
        sign.
        """
        pieces: list[tuple[Any, int, int]] = []
        for node in nodes:
            if pieces and pieces[-1][2] == node.start_byte:
                pieces[-1] = (pieces[-1][0], pieces[-1][1], node.end_byte)
            else:
                pieces.append((node, node.start_byte, node.end_byte))
        return pieces

    def _text(self, node: Any) -> str:
        return os.fsdecode(self._content[node.start_byte : node.end_byte]).replace("\r", "")

    def _mentions(self, node: Any) -> bool:
        if node.type in ("declaration_command", "unset_command"):
            names = (self._text(child) for child in node.named_children if child.type == "variable_name")
            if any(name in self._known for name in names):
                return True
        return self._text_mentions(self._text(node))

    def _text_mentions(self, text: str) -> bool:
        if not self._places.may_speak(text, self._known):
            return False
        if any(re.search(rf"(?<![\w$]){re.escape(name)}\+?=", text) for name in self._places.names):
            return True
        return self._places.speaks(self._plain(text))

    def _plain(self, text: str) -> str:
        return self._places.plain(text, self._known)

    def _is_within(self, text: str) -> bool:
        return self._places.within(self._plain(text))

    def _is_own(self, text: str) -> bool:
        """Whether a word is a path of the old install, or nothing but what one program of it prints."""
        plain = self._plain(text)
        runs = RUNS.fullmatch(plain)
        if runs:
            return self._places.within(runs[1].split()[0])
        return "$(" not in plain and "`" not in plain and "<(" not in plain and self._places.within(plain)
