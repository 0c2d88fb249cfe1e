"""Which statements of a startup file exist for one folder: found with a parser, not by pattern.

For the shells whose language tree-sitter-bash reads: sh, bash, zsh, ksh, mksh.
"""

from __future__ import annotations

import os
import re
from collections.abc import Iterable, Iterator
from enum import IntEnum
from pathlib import Path
from typing import Any

import msgspec

Known = dict[str, str]
"""Variables that were found to hold a path in the folder, with their values."""


class Statement(msgspec.Struct, frozen=True):
    """A statement that speaks of the folder: its bytes ``start`` to ``end`` and its first line, from 1.

    ``serves`` tells whether it exists for the folder alone, so that cutting it loses nothing else.
    """

    start: int
    end: int
    line: int
    text: str
    serves: bool


class Use(IntEnum):
    """What a statement is for; of several together the greatest counts."""

    NOTHING = 0
    """It only tests something, or exports what was set elsewhere."""
    FOLDER = 1
    """It exists for the folder alone."""
    MORE = 2
    """It does something else."""


def statements_about(content: bytes, folder: Path, home: Path, known: Known | None = None) -> list[Statement]:
    """The statements that mention a folder, in order; of a compound one that does more, the parts inside that serve it.

    ``known`` are variables that earlier files set to a path in the folder; those of this file are added. Pure.
    """
    known = {} if known is None else known
    if not _may_mention(content, folder, home, known):
        return []
    import tree_sitter_bash
    from tree_sitter import Language, Parser

    root = Parser(Language(tree_sitter_bash.language())).parse(content).root_node
    return list(_Reader(content, folder, home, known).found(root.children))


def statements_setting(content: bytes, name: str, home: Path) -> list[Statement]:
    """The statements that set or use a variable; those serve that do nothing else. Pure."""
    if name.encode() not in content:
        return []
    import tree_sitter_bash
    from tree_sitter import Language, Parser

    root = Parser(Language(tree_sitter_bash.language())).parse(content).root_node
    return list(_VariableReader(content, name, home).found(root.children))


def without(content: bytes, statements: Iterable[Statement]) -> bytes:
    """The content with the statements that serve the folder cut out, and no byte beyond."""
    kept, place = [], 0
    for each in sorted((s for s in statements if s.serves), key=lambda s: s.start):
        kept.append(content[place : each.start])
        place = max(place, each.end)
    return b"".join((*kept, content[place:]))


def whole_lines(content: bytes, start: int, end: int) -> tuple[int, int, bool]:
    """The whole lines of a statement, and whether nothing else stands on them but a comment. Pure."""
    begin = content.rfind(b"\n", 0, start) + 1
    stop = content.find(b"\n", end)
    stop = len(content) if stop < 0 else stop + 1
    before, after = content[begin:start].strip(), content[end:stop].strip()
    if after.startswith(b";") and not after.startswith(b";;"):
        after = after[1:].strip()
    return begin, stop, not before and (not after or after.startswith(b"#"))


def _may_mention(content: bytes, folder: Path, home: Path, known: Known) -> bool:
    """A quick look before the parser is fetched."""
    tail = folder.relative_to(home) if home in folder.parents else folder
    return os.fsencode(tail.name) in content or any(name.encode() in content for name in known)


_BODIES = ("if_statement", "elif_clause", "else_clause", "do_group", "compound_statement", "case_item", "case_statement",
           "for_statement", "while_statement", "function_definition", "subshell")  # fmt: skip
"""What holds statements."""
_UNQUOTED = str.maketrans("", "", "\"'\\\n")
"""Takes out what quotes."""
_HARMLESS = (":", "true", "false", "test", "[", "type", "hash", "which", "return")


class _Reader:
    """Judges the statements of one file. Nothing is run."""

    def __init__(self, content: bytes, folder: Path, home: Path, known: Known) -> None:
        self._content = content
        self._folder = str(folder)
        self._tail = folder.name.translate(_UNQUOTED)
        self._home = str(home)
        self._known = known

    def found(self, nodes: Iterable[Any]) -> Iterator[Statement]:
        """The statements about the folder among siblings."""
        for group in self._groups(nodes):
            mentioned = [node for node in group if self._mentions(node)]
            if not mentioned:
                continue
            use = max(self._use(node) for node in group)
            start, end, alone = whole_lines(self._content, group[0].start_byte, group[-1].end_byte)
            if use is Use.FOLDER and alone:
                yield self._statement(group[0], start, end, group[-1].end_byte, serves=True)
                continue
            for node in mentioned:
                inner = list(self._inside(node))
                yield from (each for each in inner if each.serves)
                if self._rest_mentions(node, inner):
                    yield self._statement(node, node.start_byte, node.end_byte, node.end_byte, serves=False)

    def _statement(self, node: Any, start: int, end: int, text_end: int, *, serves: bool) -> Statement:
        text = os.fsdecode(self._content[node.start_byte : text_end])
        return Statement(start, end, node.start_point[0] + 1, text, serves)

    def _groups(self, nodes: Iterable[Any]) -> Iterator[list[Any]]:
        """Siblings that share a line stand or fall together."""
        group: list[Any] = []
        for node in nodes:
            if not node.is_named or node.type in ("comment", "heredoc_body", "heredoc_end"):
                continue
            if group and node.start_point[0] > group[-1].end_point[0]:
                yield group
                group = []
            group.append(node)
        if group:
            yield group

    def _inside(self, node: Any) -> Iterator[Statement]:
        """What serves the folder inside a compound statement that does more, where something else stays in each body."""
        for child in node.children:
            if child.type in _BODIES:
                yield from self._inside(child)
        if node.type not in _BODIES or node.type in ("case_statement", "for_statement", "while_statement"):
            return
        statements = [
            child
            for place, child in enumerate(node.children)
            if child.is_named and child.type != "comment" and node.field_name_for_child(place) not in _NO_STATEMENT
        ]
        if node.type == "if_statement":
            statements = [child for child in statements if child.type not in ("elif_clause", "else_clause")]
        simple = [child for child in statements if child.type not in _BODIES]
        cut = [each for each in self.found(simple) if each.serves]
        inner = sum(1 for child in simple if any(each.start <= child.start_byte < each.end for each in cut))
        if inner < len(statements):
            yield from cut

    def _rest_mentions(self, node: Any, cut: list[Statement]) -> bool:
        """Whether a statement speaks of the folder apart from what is cut out of it."""
        text = b""
        at = node.start_byte
        for each in sorted((c for c in cut if c.serves), key=lambda c: c.start):
            text += self._content[at : each.start]
            at = each.end
        return self._text_mentions(os.fsdecode(text + self._content[at : node.end_byte]))

    # -- what a statement is for -----------------------------------------------------------------------

    def _use(self, node: Any) -> Use:
        judge = getattr(self, f"_use_of_{node.type}", None)
        use: Use = judge(node) if judge else Use.MORE
        return use

    def _use_of_comment(self, node: Any) -> Use:
        return Use.NOTHING

    _use_of_test_command = _use_of_comment

    def _use_of_list(self, node: Any) -> Use:
        return max((self._use(child) for child in node.named_children), default=Use.NOTHING)

    _use_of_if_statement = _use_of_elif_clause = _use_of_else_clause = _use_of_do_group = _use_of_list
    _use_of_compound_statement = _use_of_negated_command = _use_of_list

    def _use_of_case_statement(self, node: Any) -> Use:
        return max((self._use(c) for c in node.named_children if c.type == "case_item"), default=Use.NOTHING)

    def _use_of_case_item(self, node: Any) -> Use:
        body = [
            c for place, c in enumerate(node.children) if c.is_named and node.field_name_for_child(place) != "value"
        ]
        return max((self._use(child) for child in body), default=Use.NOTHING)

    def _use_of_for_statement(self, node: Any) -> Use:
        """Over files of the folder alone, the variable stands for a path in it."""
        places = {node.field_name_for_child(i): c for i, c in enumerate(node.children)}
        values = [c for i, c in enumerate(node.children) if node.field_name_for_child(i) == "value"]
        if not values or not all(self._is_within(self._plain(self._text(value))) for value in values):
            return Use.MORE
        name = self._text(places["variable"])
        shadowed = self._known.get(name)
        self._known[name] = self._plain(self._text(values[0]))
        try:
            return self._use(places["body"])
        finally:
            del self._known[name]
            if shadowed is not None:
                self._known[name] = shadowed

    def _use_of_redirected_statement(self, node: Any) -> Use:
        for redirect in node.named_children[1:]:
            target = self._text(redirect).lstrip("0123456789&>").strip()
            if redirect.type != "file_redirect" or (target != "/dev/null" and not re.fullmatch(r"&?\d", target)):
                return Use.MORE
        return self._use(node.named_children[0])

    def _use_of_variable_assignment(self, node: Any) -> Use:
        return self._use_of_assignment(self._text(node), node)

    def _use_of_assignment(self, text: str, node: Any) -> Use:
        name, _, value = text.partition("=")
        bare = name.rstrip("+")
        if value.startswith("("):
            entries = [self._plain(self._text(child)) for child in node.named_children[-1].named_children]
            own = [entry for entry in entries if self._is_within(entry)]
            itself = (f"${bare}", f"${{{bare}}}", f"${{{bare}[@]}}", "$PATH")
            served = bool(own) and all(entry in own or entry in itself for entry in entries)
            return Use.FOLDER if served else Use.MORE
        plain = self._plain(value)
        if "$(" in plain or "`" in plain or "<(" in plain:
            return Use.FOLDER if self._runs_own(node) else Use.MORE
        plain = re.sub(rf"\$\{{{bare}:?\+:?\$\{{?{bare}\}}?:?\}}", "", plain)
        parts = [part for part in _path_parts(plain) if part or name.endswith("+")]
        own = [part for part in parts if self._is_within(part)]
        empty = (f"${bare}", f"${{{bare}}}", f"${{{bare}-}}", f"${{{bare}:-}}", "")
        if not own or not all(part in own or part in empty for part in parts):
            return Use.MORE
        if len(parts) == 1 and not name.endswith("+"):
            self._known[bare] = parts[0]
        return Use.FOLDER

    def _use_of_declaration_command(self, node: Any) -> Use:
        use = Use.NOTHING
        for child, text in self._pieces(node.named_children):
            if child.type == "variable_assignment":
                use = max(use, self._use_of_assignment(text, child))
            elif child.type == "variable_name":
                use = max(use, Use.FOLDER if text in self._known else Use.NOTHING if text in _PATHS else Use.MORE)
            elif child.type != "word" or not text.startswith("-"):
                use = Use.MORE
        return use

    def _pieces(self, nodes: Iterable[Any]) -> Iterator[tuple[Any, str]]:
        """Nodes that touch one another are one word: the grammar parts ``a=$b:$c/d`` at the second dollar sign."""
        pieces: list[tuple[Any, int, int]] = []
        for node in nodes:
            if pieces and pieces[-1][2] == node.start_byte:
                pieces[-1] = (pieces[-1][0], pieces[-1][1], node.end_byte)
            else:
                pieces.append((node, node.start_byte, node.end_byte))
        for first, start, end in pieces:
            yield first, os.fsdecode(self._content[start:end]).replace("\r", "")

    def _use_of_unset_command(self, node: Any) -> Use:
        names = [self._text(child) for child in node.named_children if child.type == "variable_name"]
        return Use.FOLDER if names and all(name in self._known for name in names) else Use.MORE

    def _use_of_command(self, node: Any) -> Use:
        words = node.named_children
        if words and words[0].type == "variable_assignment":
            pieces = list(self._pieces(words))
            # Assignments before a command hold for it alone.
            return self._use_of_assignment(pieces[0][1], words[0]) if len(pieces) == 1 else Use.MORE
        if not words or words[0].type != "command_name":
            return Use.MORE
        name, arguments = self._text(words[0]).lstrip("\\"), words[1:]
        if any(argument.type.endswith("_redirect") for argument in arguments):
            return Use.MORE
        if name in (".", "source") and arguments:
            own = self._is_within(self._plain(self._text(arguments[0])))
            return Use.FOLDER if own or self._runs_own(arguments[0]) else Use.MORE
        if name == "eval" and len(arguments) == 1:
            return Use.FOLDER if self._runs_own(arguments[0]) else Use.MORE
        if name == "alias" and arguments:
            values = [self._plain(self._text(argument)).partition("=")[2] for argument in arguments]
            served = all(value and self._is_within(value.split()[0]) for value in values)
            return Use.FOLDER if served else Use.MORE
        if name in _HARMLESS or (name == "command" and arguments and self._text(arguments[0]) in ("-v", "-V")):
            return Use.NOTHING
        return Use.MORE

    def _runs_own(self, node: Any) -> bool:
        """Whether it consists of nothing but what one program of the folder prints."""
        while node.type in ("string", "variable_assignment", "concatenation") and node.named_children:
            node = node.named_children[-1]
        if node.type not in ("command_substitution", "process_substitution") or len(node.named_children) != 1:
            return False
        command = node.named_children[0]
        if command.type == "redirected_statement":
            command = command.named_children[0]
        return command.type == "command" and self._is_within(self._plain(self._text(command.named_children[0])))

    # -- texts -----------------------------------------------------------------------------------------

    def _text(self, node: Any) -> str:
        return os.fsdecode(self._content[node.start_byte : node.end_byte]).replace("\r", "")

    def _mentions(self, node: Any) -> bool:
        if node.type in ("declaration_command", "unset_command"):
            names = (self._text(child) for child in node.named_children if child.type == "variable_name")
            if any(name in self._known for name in names):
                return True
        return self._text_mentions(self._text(node))

    def _text_mentions(self, text: str) -> bool:
        # A quick look: most statements name neither the folder nor a variable that leads there.
        if self._tail not in text.translate(_UNQUOTED) and not any(name in text for name in self._known):
            return False
        return re.search(re.escape(self._folder) + r"(?![\w.-])", self._plain(text)) is not None

    def _plain(self, text: str) -> str:
        """Shell text with the home and known variables written out and quotes dropped: good for looking, not for running."""
        for name, value in {"HOME": self._home, **self._known}.items():
            pattern = rf"""(["']?)\$(?:{re.escape(name)}\b|\{{{re.escape(name)}(?::?-[^}}]*)?\}})\1"""
            text = re.sub(pattern, lambda _, v=value: v, text)  # type: ignore[misc]
        text = re.sub(r"(?<![\w/.~-])~(?=/|$|:|\s|\))", lambda _: self._home, text)
        return text.replace('"', "").replace("'", "").replace("\\\n", "").replace("\\ ", " ")

    def _is_within(self, plain: str) -> bool:
        return plain == self._folder or plain.startswith(self._folder + "/")


class _VariableReader(_Reader):
    """Judges by a variable: whatever it holds counts as the folder."""

    def __init__(self, content: bytes, name: str, home: Path) -> None:
        folder = Path(f"/\x00variable/{name}")
        super().__init__(content, folder, home, {name: str(folder)})
        self._name = name

    def _use_of_assignment(self, text: str, node: Any) -> Use:
        value = text.partition("=")[2]
        if text.partition("=")[0] == self._name and "$(" not in value and "`" not in value:
            return Use.FOLDER
        return super()._use_of_assignment(text, node)

    def _text_mentions(self, text: str) -> bool:
        return super()._text_mentions(text) or re.search(rf"(?<![\w$]){self._name}\+?=", text) is not None


_NO_STATEMENT = ("condition", "value", "variable", "name")
_PATHS = ("PATH", "path", "MANPATH", "manpath", "FPATH", "fpath", "INFOPATH", "CDPATH", "cdpath")


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
