"""What a single command of sh's language is for, seen from an old install: nothing is run."""

from __future__ import annotations

import itertools
import os
import re
from collections.abc import Iterator
from typing import Any

from zesty_anchor.shells.sh_tree import parsed
from zesty_anchor.survey.startup.places import Known, Places
from zesty_anchor.survey.startup.sh_words import RUNS, ShWords
from zesty_anchor.survey.startup.statement import Use, with_blank

_HARMLESS = (":", "true", "false", "test", "[", "type", "hash", "which")
_ONLY_LOOKS = (*_HARMLESS, "echo", "printf", "grep", "egrep", "shift", "return")
"""What a function may run that does nothing but set variables."""
_DEFAULT = re.compile(r"\$\{(\w+):?=([^{}]*)\}")
"""A parameter that is set where it has no value (POSIX.1-2017, 2.6.2 "Assign Default Values")."""


def functions_that_set(root: Any) -> frozenset[str]:
    """The names of the functions of a file that do nothing but set variables. Pure."""
    return frozenset(
        os.fsdecode(node.child_by_field_name("name").text)
        for node in root.children
        if node.type == "function_definition" and _only_sets(node.child_by_field_name("body"))
    )


def _only_sets(body: Any) -> bool:
    for node in _all(body):
        if node.type in (
            "command_substitution",
            "process_substitution",
            "subshell",
            "file_redirect",
            "heredoc_redirect",
        ):
            return False
        if node.type == "command":
            name = node.child_by_field_name("name")
            if name is None or os.fsdecode(name.text) not in _ONLY_LOOKS:
                return False
    return True


def _all(node: Any) -> Iterator[Any]:
    yield node
    for child in node.children:
        yield from _all(child)


class ShCommands(ShWords):
    """Judges single commands of one file."""

    def __init__(self, content: bytes, places: Places, known: Known) -> None:
        super().__init__(content, places, known)
        self._parts: list[tuple[int, int]] = []
        """The bytes that can be cut of a statement which does more."""
        self._names: set[str] = set()
        """The variables that the statement sets or exports."""
        self._setting: frozenset[str] = frozenset()
        """The functions of the file that do nothing but set variables."""

    def _use_of_assignment(self, node: Any, start: int, end: int) -> Use:
        """An assignment; ``start`` to ``end`` are all its bytes, also where the grammar parts them."""
        raise NotImplementedError

    def use_of_text(self, root: Any) -> tuple[Use, set[str]]:
        """What a text is for that the shell evaluates as a whole, and the variables that it sets."""
        raise NotImplementedError

    def _use_of_command(self, node: Any) -> Use:
        words = node.named_children
        if words and words[0].type == "variable_assignment":
            pieces = self._pieces(words)
            # Assignments before a command hold for it alone.
            return self._use_of_assignment(*pieces[0]) if len(pieces) == 1 else Use.MORE
        if not words or words[0].type != "command_name":
            return Use.MORE
        name, arguments = self._text(words[0]).lstrip("\\"), words[1:]
        if any(argument.type.endswith("_redirect") for argument in arguments):
            return Use.MORE
        if name in (".", "source") and arguments:
            return Use.FOLDER if self._is_own(self._text(arguments[0])) else Use.MORE
        judge = {
            "alias": self._use_of_alias, ":": self._use_of_defaults, "printf": self._use_of_printf,
            "hash": self._use_of_hash, "complete": self._use_of_complete, "eval": self._use_of_eval,
        }.get(name)  # fmt: skip
        if judge and arguments:
            return judge(arguments)
        if name in self._setting and arguments:
            return self._use_of_call(arguments)
        if name in _HARMLESS or (
            name == "command" and arguments and self._text(arguments[0]) in ("-v", "-V")
        ):
            return Use.NOTHING
        return Use.MORE

    def _use_of_alias(self, arguments: list[Any]) -> Use:
        pieces = [each for each in self._pieces(arguments) if self._content[each[1] : each[1] + 1] != b"-"]
        own = []
        for _, start, end in pieces:
            value = self._plain(os.fsdecode(self._content[start:end])).partition("=")[2].strip()
            own += [(start, end)] if self._places.within(value) else []
        if own and len(own) < len(pieces):
            self._parts += [with_blank(self._content, *span) for span in own]
            return Use.PART
        return Use.FOLDER if own else Use.MORE

    def _use_of_eval(self, arguments: list[Any]) -> Use:
        """Of what one program of the old install prints, or of a text that is for it alone."""
        text = self._text(arguments[0])
        if len(arguments) != 1:
            return Use.MORE
        if RUNS.fullmatch(self._plain(text)):
            return Use.FOLDER if self._is_own(text) else Use.MORE
        if not re.fullmatch(r"'[^']*'|\"[^\"\\`]*\"", text) or "$(" in text:
            return Use.MORE
        inner = os.fsencode(text[1:-1])
        root = parsed(inner)
        if root.has_error:
            return Use.MORE
        use, names = type(self)(inner, self._places, self._known).use_of_text(root)
        self._names |= names
        return use

    def _use_of_defaults(self, arguments: list[Any]) -> Use:
        """``: "${NAME:=value}"`` sets a variable."""
        use = Use.NOTHING
        for each in arguments:
            for name, value in _DEFAULT.findall(self._plain(self._text(each))):
                if not self._places.within(value):
                    return Use.MORE
                self._names.add(name)
                self._known[name] = value
                use = Use.FOLDER
        return use

    def _use_of_printf(self, arguments: list[Any]) -> Use:
        """``printf -v NAME %s value`` sets a variable."""
        words = [self._text(each) for each in arguments]
        if len(words) != 4 or words[0] != "-v" or words[2].strip("\"'") != "%s" or not self._is_own(words[3]):
            return Use.MORE
        self._names.add(words[1])
        self._known[words[1]] = self._plain(words[3])
        return Use.FOLDER

    def _use_of_hash(self, arguments: list[Any]) -> Use:
        """Where a command is, or in zsh a folder's name."""
        words = [self._text(each) for each in arguments]
        if words[0] == "-d":
            values = [word.partition("=")[2] for word in words[1:]]
            return Use.FOLDER if values and all(self._is_within(value) for value in values) else Use.MORE
        return Use.FOLDER if words[0] == "-p" and any(map(self._is_within, words[1:2])) else Use.NOTHING

    def _use_of_complete(self, arguments: list[Any]) -> Use:
        words = [self._text(each) for each in arguments]
        own = [word for word, value in itertools.pairwise(words) if word == "-C" and self._is_within(value)]
        return Use.FOLDER if own else Use.MORE

    def _use_of_call(self, arguments: list[Any]) -> Use:
        """A function of theirs that sets variables by its arguments."""
        pieces = self._pieces(arguments)
        texts = [os.fsdecode(self._content[start:end]) for _, start, end in pieces]
        own = [piece for piece, text in zip(pieces, texts, strict=True) if self._is_within(text)]
        if not own:
            return Use.MORE
        if all(
            piece in own or re.fullmatch(r"-?\w+", text) for piece, text in zip(pieces, texts, strict=True)
        ):
            return Use.FOLDER
        self._parts += [with_blank(self._content, start, end) for _, start, end in own]
        return Use.PART
