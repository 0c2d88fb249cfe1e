"""Which statements of a startup file exist for an old install alone: found with a parser, not by pattern.

For the shells whose language tree-sitter-bash reads: sh, bash, zsh, ksh, mksh. What is found here is a
proposal: new shells judge it (``trial``).
"""

from __future__ import annotations

import os
import re
from collections.abc import Callable, Iterable, Iterator
from itertools import chain, pairwise
from typing import Any

from zesty_anchor.shells.sh_tree import parsed
from zesty_anchor.survey.startup.path_parts import path_parts, spans_of
from zesty_anchor.survey.startup.places import Known, Places
from zesty_anchor.survey.startup.sh_commands import ShCommands, functions_that_set
from zesty_anchor.survey.startup.sh_words import NOWHERE
from zesty_anchor.survey.startup.statement import LISTS, Statement, Use, whole_lines, with_blank

Whole = Callable[[bytes], bool]
"""Whether the shell itself takes the beginning of a file for a whole text."""


def statements_about(
    content: bytes,
    places: Places,
    known: Known | None = None,
    whole: Whole | None = None,
    parse: Callable[[bytes], Any] = parsed,
) -> list[Statement]:
    """The statements that mention what is to go, in order; of one that does more, the parts inside that serve
    it.

    ``known`` are variables that hold a path there; those of this file are added. Where the grammar fails,
    each line is taken by itself that ``whole`` takes for one; without it none is cut. ``parse`` gives the
    tree of a text. Pure but for ``whole``.
    """
    known = dict(places.known) if known is None else known
    if not places.may_speak(os.fsdecode(content), known):
        return []
    root = parse(content)
    if not root.has_error:
        return _Reader(content, places, known).read(root)
    return list(_by_line(content, places, known, whole))


def _by_line(content: bytes, places: Places, known: Known, whole: Whole | None) -> Iterator[Statement]:
    """Line by line, where the grammar does not know what an ordinary file of the shell says."""
    at = 0
    for number, row in enumerate(content.splitlines(keepends=True), 1):
        start, at = at, at + len(row)
        text = os.fsdecode(row).strip()
        if text.startswith("#") or not places.may_speak(text, known):
            continue
        line = row.rstrip(b"\r\n")
        root = parsed(line)
        alone = whole is not None and not root.has_error and whole(content[:start]) and whole(content[:at])
        reader = _Reader(line, places, dict(known) if not alone else known)
        found = list(reader.found(root.children))
        if not found:
            if root.has_error and places.speaks(places.plain(text, known)):
                yield Statement(start, at, number, text, serves=False)
            continue
        for each in found:
            end = (
                start + each.end + (len(row) - len(line) if each.end == len(line) and each.start == 0 else 0)
            )
            yield Statement(
                start + each.start, end, number, each.text, each.serves and alone, each.names,
                "" if alone else "it is inside something that only the shell itself can read",
            )  # fmt: skip


_BODIES = ("if_statement", "elif_clause", "else_clause", "do_group", "compound_statement", "case_item",
"case_statement",
           "for_statement", "while_statement", "function_definition", "subshell")  # fmt: skip
"""What holds statements."""
_BRANCHES = ("else_clause", "case_item")
_NO_STATEMENT = ("condition", "value", "variable", "name")
_RUN = 64
"""How many statements are looked at together, before each is by itself."""


class _Reader(ShCommands):
    """Judges the statements of one file. Nothing is run."""

    def __init__(self, content: bytes, places: Places, known: Known) -> None:
        super().__init__(content, places, known)
        self._depth = 0

    def read(self, root: Any) -> list[Statement]:
        """The statements of a file."""
        self._setting = functions_that_set(root)
        return list(self.found(root.children))

    def use_of_text(self, root: Any) -> tuple[Use, set[str]]:
        """What a text is for that the shell evaluates as a whole, and the variables that it sets."""
        return self._of_all(root.named_children), self._names

    def found(self, nodes: Iterable[Any]) -> Iterator[Statement]:
        """The statements about what is to go, among siblings."""
        for group in chain.from_iterable(map(self._groups, self._near(list(nodes)))):
            mentioned = [node for node in group if self._mentions(node)]
            if not mentioned and not self._sets_anew(group):
                continue
            self._parts, self._names = [], set()
            uses = [self._use(node) for node in group]
            use = max(uses)
            parts, names = self._parts, frozenset(self._names)
            if not mentioned:
                continue
            start, end, alone = whole_lines(self._content, group[0].start_byte, group[-1].end_byte)
            if use is Use.FOLDER and alone:
                yield self._statement(group[0], start, end, group[-1].end_byte, names)
                continue
            if use is Use.PART and len(group) == 1:
                for span in parts:
                    yield self._statement(group[0], *span, group[-1].end_byte, names)
                if self._places.speaks(self._plain(self._left(group[0], parts))):
                    yield self._statement(group[0], 0, 0, group[-1].end_byte, None)
                continue
            beside = self._beside(group, uses)
            for start, end, node in beside:
                yield self._statement(node, start, end, node.end_byte, names)
            for node in mentioned:
                if any(node is each for _, _, each in beside):
                    continue
                inner = list(self._inside(node))
                yield from (each for each in inner if each.serves)
                spans = [(each.start, each.end) for each in inner if each.serves]
                if self._text_mentions(self._left(node, spans)):
                    yield self._statement(node, node.start_byte, node.end_byte, node.end_byte, None)

    def _near(self, nodes: list[Any]) -> Iterator[list[Any]]:
        """Runs of nodes, each up to the end of a line, without those whose whole text names neither a place
        nor a variable that leads there: of a long file most are of that kind, and a look at each takes its
        time.
        """
        begin = 0
        while begin < len(nodes):
            end = begin + _RUN
            while end < len(nodes) and nodes[end].start_point[0] <= nodes[end - 1].end_point[0]:
                end += 1
            run = nodes[begin:end]
            if self._places.may_speak(
                os.fsdecode(self._content[run[0].start_byte : run[-1].end_byte]), self._known
            ):
                yield run
            begin = end

    def _sets_anew(self, group: list[Any]) -> bool:
        """Whether a variable that leads there may be set to something else: most statements set none that is
        known.
        """
        text = self._content[group[0].start_byte : group[-1].end_byte]
        return any(f"{name}=".encode() in text or f"{name}+=".encode() in text for name in self._known)

    def _statement(
        self, node: Any, start: int, end: int, text_end: int, names: frozenset[str] | None
    ) -> Statement:
        """Without ``names`` it does not serve."""
        text = os.fsdecode(self._content[node.start_byte : text_end])
        return Statement(start, end, node.start_point[0] + 1, text, names is not None, names or frozenset())

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

    def _beside(self, group: list[Any], uses: list[Use]) -> list[tuple[int, int, Any]]:
        """Those that can go of statements on one line, each with the bytes up to the next, or from the one
        before; none where something else than ``;`` is between them.
        """
        between = [self._content[one.end_byte : two.start_byte].strip() for one, two in pairwise(group)]
        if len(group) < 2 or any(each != b";" for each in between):
            return []
        own = [place for place, use in enumerate(uses) if use is Use.FOLDER]
        last = max((place for place in range(len(group)) if place not in own), default=-1)
        return [
            (group[place].start_byte, group[place + 1].start_byte, group[place])
            if place < last
            else (group[last].end_byte, group[place].end_byte, group[place])
            for place in own
            if last >= 0
        ]

    def _branch(self, node: Any) -> Statement | None:
        """The ``else`` that has nothing but statements of the old install, or those of a branch of ``case``,
        which may be empty.
        """
        statements = [
            child
            for place, child in enumerate(node.children)
            if child.is_named and child.type != "comment" and node.field_name_for_child(place) != "value"
        ]
        if not any(self._mentions(child) for child in statements):
            return None
        self._parts, self._names = [], set()
        if self._of_all(statements) is not Use.FOLDER:
            return None
        start = node.start_byte if node.type == "else_clause" else statements[0].start_byte
        end = statements[-1].end_byte
        first, last, alone = whole_lines(self._content, start, end)
        span = (first, last) if alone else with_blank(self._content, start, end)
        return self._statement(node, *span, node.end_byte, frozenset(self._names))

    def _inside(self, node: Any) -> Iterator[Statement]:
        """What serves the old install inside a compound statement that does more, where something else stays
        in each body, or the body may go.
        """
        for child in node.children:
            if child.type in _BRANCHES and (branch := self._branch(child)):
                yield branch
            elif child.type in _BODIES:
                yield from self._inside(child)
        if node.type not in _BODIES or node.type in ("case_statement", "for_statement", "while_statement"):
            return
        statements = [
            child
            for place, child in enumerate(node.children)
            if child.is_named
            and child.type != "comment"
            and node.field_name_for_child(place) not in _NO_STATEMENT
        ]
        if node.type == "if_statement":
            statements = [child for child in statements if child.type not in ("elif_clause", "else_clause")]
        simple = [child for child in statements if child.type not in _BODIES]
        cut = [each for each in self.found(simple) if each.serves]
        inner = sum(1 for child in simple if any(each.start <= child.start_byte < each.end for each in cut))
        if inner < len(statements):
            yield from cut

    # -- what a statement is for -----------------------------------------------------------------------

    def _use(self, node: Any) -> Use:
        judge = getattr(self, f"_use_of_{node.type}", None)
        nested = node.type in _BODIES
        self._depth += nested
        use: Use = judge(node) if judge else Use.MORE
        self._depth -= nested
        return use

    def _of_all(self, nodes: Iterable[Any]) -> Use:
        use = max((self._use(child) for child in nodes), default=Use.NOTHING)
        return Use.MORE if use is Use.PART else use  # a part of a part is for a person to cut

    def _use_of_comment(self, node: Any) -> Use:
        return Use.NOTHING

    def _use_of_list(self, node: Any) -> Use:
        return self._of_all(node.named_children)

    _use_of_test_command = _use_of_comment
    _use_of_if_statement = _use_of_elif_clause = _use_of_else_clause = _use_of_do_group = _use_of_list
    _use_of_compound_statement = _use_of_negated_command = _use_of_list

    def _use_of_case_statement(self, node: Any) -> Use:
        return self._of_all(c for c in node.named_children if c.type == "case_item")

    def _use_of_case_item(self, node: Any) -> Use:
        return self._of_all(
            c
            for place, c in enumerate(node.children)
            if c.is_named and node.field_name_for_child(place) != "value"
        )

    def _use_of_for_statement(self, node: Any) -> Use:
        """Over files of the folder alone, the variable is a path in it; of other words too, those of the
        folder can go.
        """
        places = {node.field_name_for_child(i): c for i, c in enumerate(node.children)}
        values = [c for i, c in enumerate(node.children) if node.field_name_for_child(i) == "value"]
        own = [value for value in values if self._is_within(self._text(value))]
        if not own:
            return Use.MORE
        if len(own) < len(values):
            self._parts += [with_blank(self._content, each.start_byte, each.end_byte) for each in own]
            return Use.PART
        name = self._text(places["variable"])
        shadowed = self._known.get(name)
        self._known[name] = self._plain(self._text(values[0]))
        try:
            return self._of_all([places["body"]])
        finally:
            del self._known[name]
            if shadowed is not None:
                self._known[name] = shadowed

    def _use_of_redirected_statement(self, node: Any) -> Use:
        for redirect in node.named_children[1:]:
            if redirect.type != "file_redirect" or not NOWHERE.fullmatch(self._text(redirect).strip()):
                return Use.MORE
        return self._of_all(node.named_children[:1])

    def _use_of_variable_assignment(self, node: Any) -> Use:
        return self._use_of_assignment(node, node.start_byte, node.end_byte)

    def _use_of_assignment(self, node: Any, start: int, end: int) -> Use:
        """An assignment; ``start`` to ``end`` are all its bytes, also where the grammar parts them."""
        text = os.fsdecode(self._content[start:end]).replace("\r", "")
        name, _, value = text.partition("=")
        bare = name.rstrip("+")
        if bare in self._places.names and "$(" not in value and "`" not in value:
            self._names.add(bare)
            return Use.FOLDER
        if value.startswith("("):
            return self._use_of_array(node, bare)
        parts = path_parts(value)
        own = [part for part in parts if self._is_own(part[2])]
        itself = (f"${bare}", f"${{{bare}}}", f"${{{bare}-}}", f"${{{bare}:-}}", "")
        rest = [part for part in parts if part not in own and not self._is_itself(part[2], bare, itself)]
        if not own:
            self._forget(bare)
            return Use.MORE
        if rest and any(part[2].count(quote) % 2 for part in own for quote in "\"'"):
            return Use.MORE
        if rest:
            offset = start + len(os.fsencode(name)) + 1
            self._parts += [(offset + first, offset + last) for first, last in spans_of(parts, own)]
            return Use.PART
        if bare not in LISTS and len(parts) == 1 and not name.endswith("+"):
            self._names.add(bare)
            if self._depth == 0 or bare not in self._known:
                self._known[bare] = self._plain(parts[0][2])
        elif bare not in LISTS:
            self._names.add(bare)
        return Use.FOLDER

    def _is_itself(self, part: str, name: str, itself: tuple[str, ...]) -> bool:
        plain = part.replace('"', "").replace("\\\n", "")
        return re.sub(rf"\$\{{{name}:?\+:?\$\{{?{name}\}}?:?\}}", "", plain) in itself

    def _forget(self, name: str) -> None:
        """What is set anew, to something else, leads there no more."""
        if name in self._known and name not in self._places.names:
            del self._known[name]

    def _use_of_array(self, node: Any, name: str) -> Use:
        entries = list(node.named_children[-1].named_children)
        own = [entry for entry in entries if self._is_within(self._text(entry))]
        itself = (f"${name}", f"${{{name}}}", f"${{{name}[@]}}", "$PATH", f"${name.lower()}")
        if not own:
            return Use.MORE
        if all(entry in own or self._text(entry).strip('"') in itself for entry in entries):
            return Use.FOLDER
        self._parts += [with_blank(self._content, entry.start_byte, entry.end_byte) for entry in own]
        return Use.PART

    def _use_of_declaration_command(self, node: Any) -> Use:
        own: list[tuple[int, int]] = []
        use, more, parts = Use.NOTHING, False, len(self._parts)
        for child, start, end in self._pieces(node.named_children):
            text = os.fsdecode(self._content[start:end]).replace("\r", "")
            if child.type == "variable_assignment":
                each = self._use_of_assignment(child, start, end)
            elif child.type == "variable_name":
                leads = text in self._known
                each = Use.FOLDER if leads else Use.NOTHING
                self._names |= {text} if leads and text not in LISTS else set()
            elif child.type == "word" and text.startswith("-"):
                # What else it makes of a variable, it makes for good: a list that holds each folder once.
                more |= not re.fullmatch(r"-[gx]+", text)
                continue
            else:
                each = Use.MORE
            own += [(start, end)] if each is Use.FOLDER else []
            more |= each in (Use.PART, Use.MORE) or (
                child.type == "variable_name" and each is Use.NOTHING and text not in LISTS
            )
            use = max(use, each)
        if not more and use is not Use.NOTHING:
            return use
        if not own and len(self._parts) == parts:
            return Use.MORE if more else Use.NOTHING
        kept = [
            each
            for each in self._pieces(node.named_children)
            if (each[1], each[2]) not in own and each[0].type != "word"
        ]
        if not kept:  # its options stay with the name alone
            return self._emptied(node, parts)
        self._parts += [with_blank(self._content, start, end) for start, end in own]
        return Use.PART

    def _emptied(self, node: Any, parts: int) -> Use:
        """A declaration with options, of which only what it assigns is of the old install."""
        arrays = [
            c
            for c in node.named_children
            if c.type == "variable_assignment" and c.named_children[-1].type == "array"
        ]
        entries = [entry for array in arrays for entry in array.named_children[-1].named_children]
        own = [entry for entry in entries if self._is_within(self._text(entry))]
        if not own or len(self._parts) != parts:
            return Use.MORE
        self._parts += [with_blank(self._content, entry.start_byte, entry.end_byte) for entry in own]
        return Use.PART

    def _use_of_unset_command(self, node: Any) -> Use:
        names = [self._text(child) for child in node.named_children if child.type == "variable_name"]
        return Use.FOLDER if names and all(name in self._known for name in names) else Use.MORE
