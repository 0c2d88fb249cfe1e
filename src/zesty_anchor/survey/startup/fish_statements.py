"""Which statements of a fish startup file exist for one folder, or for one variable: found with fish's own
parser.
"""

from __future__ import annotations

import os
import re
from collections.abc import Callable, Iterable, Iterator

from zesty_anchor.shells.fish_tree import FishParser, Node
from zesty_anchor.survey.startup.places import Known, Places
from zesty_anchor.survey.startup.statement import LISTS, Statement, Use, whole_lines, with_blank

_HARMLESS = ("test", "[", "type", "status", "true", "false", "string", "contains")
_ASKS = {
    "command": ("-v", "-s", "-q", "--search", "--query"),
    "builtin": ("-q", "--query"),
    "functions": ("-q", "--query"),
}
"""Commands that are harmless with these options alone: without, they run something, or erase."""
_WORDS = ("string", "argument")


def fish_statements_about(
    content: bytes, places: Places, known: Known | None = None, *, parser: FishParser
) -> list[Statement]:
    """The statements that mention what is to go, in order; see ``statements_about``. ``parser`` is fish's
    own.

    Where it cannot read the file, each line that mentions it is shown, and none is cut.
    """
    known = dict(places.known) if known is None else known
    reader = _Reader(places, known)
    if not places.may_speak(os.fsdecode(content), known):
        return []
    tree = parser.tree(content)
    if tree is not None:
        return list(reader.found(tree.children, content))
    at, found = 0, []
    for number, row in enumerate(content.splitlines(keepends=True), 1):
        if reader.speaks(os.fsdecode(row)) and not row.lstrip().startswith(b"#"):
            why = "fish cannot read the file"
            found.append(
                Statement(at, at + len(row), number, os.fsdecode(row.strip()), serves=False, why=why)
            )
        at += len(row)
    return found


class _Reader:
    """Judges statements. Nothing is run."""

    def __init__(self, places: Places, known: Known) -> None:
        self._places = places
        self._known = known
        self._parts: list[tuple[int, int]] = []
        """The bytes that can be cut of a statement which does more."""
        self._names: set[str] = set()
        """The variables that the statement sets."""

    def found(self, nodes: Iterable[Node], content: bytes) -> Iterator[Statement]:
        """The statements among siblings; of a block that does more, the parts inside that serve."""
        for group in self._groups(nodes, content):
            mentioned = [node for node in group if self._mentions(node, content)]
            self._parts, self._names = [], set()
            use = max(self._use(node) for node in group)
            parts, names = self._parts, frozenset(self._names)
            if not mentioned:
                continue
            start, end, alone = whole_lines(content, group[0].start, group[-1].end)
            if use is Use.FOLDER and alone:
                yield _statement(content, group[0].start, group[-1].end, (start, end), names)
                continue
            if use is Use.PART and len(group) == 1:
                for span in parts:
                    yield _statement(
                        content, group[0].start, group[-1].end, with_blank(content, *span), names
                    )
                continue
            for node in mentioned:
                inner = [
                    each
                    for body in _bodies(node)
                    for each in self.found(body.children, content)
                    if each.serves
                ]
                yield from inner
                if self.speaks(_without(content, node, inner)):
                    yield _statement(content, node.start, node.end)

    def _groups(self, nodes: Iterable[Node], content: bytes) -> Iterator[list[Node]]:
        """Siblings that ``and``, ``or`` or one line hold together stand or fall together."""
        group: list[Node] = []
        for node in nodes:
            joined = node.children[0].text in ("and", "or")
            if group and not joined and b"\n" in content[group[-1].end : node.start]:
                yield group
                group = []
            group.append(node)
        if group:
            yield group

    def _mentions(self, node: Node, content: bytes) -> bool:
        commands = (_words(each) for each in node.walk() if each.kind == "decorated_statement")
        return self.speaks(os.fsdecode(content[node.start : node.end])) or any(
            words[0] == "set" and any(word in self._known for word in words[1:])
            for words in commands
            if words
        )

    def speaks(self, text: str) -> bool:
        """Whether a text speaks of what is to go: of a variable also where it is set."""
        sets = (rf"\bset\b[^\n;]*\s{re.escape(name)}\b" for name in self._places.names)
        return self._places.speaks(self._plain(text)) or any(re.search(each, text) for each in sets)

    # -- what a statement is for -----------------------------------------------------------------------

    def _use(self, node: Node) -> Use:
        if node.kind == "decorated_statement":
            return max(self._of_command(_words(node), _spans(node)), _of_redirections(node))
        if node.kind == "job":
            return self._of_job(node)
        if node.kind == "block_statement":
            return self._of_block(node)
        return self._of_all(node.children)

    def _of_all(self, nodes: Iterable[Node]) -> Use:
        return max((self._use(child) for child in nodes), default=Use.NOTHING)

    def _of_job(self, job: Node) -> Use:
        if any(child.kind == "a '&'" or (child.kind == "variable_assignment_list" and child.children)
               for child in job.children):  # fmt: skip
            return Use.MORE
        piped = [each for each in job.walk() if each.kind == "job_continuation"]
        if not any(child.children for child in job.inside("job_continuation_list")):
            return max((self._use(child) for child in job.children), default=Use.NOTHING)
        commands = [_words(each) for each in job.walk() if each.kind == "decorated_statement"]
        own = len(piped) == 1 and len(commands) == 2 and self._within(self._plain(commands[0][0]))
        return Use.FOLDER if own and commands[1] in (["source"], ["."], ["source", "-"]) else Use.MORE

    def _of_block(self, block: Node) -> Use:
        header = block.children[0]
        body = self._of_all(block.children[1:])
        body = Use.MORE if body is Use.PART else body  # a part of a part is for a person to cut
        if header.kind == "function_header":
            return Use.MORE
        if header.kind != "for_header":
            return max(self._use(header), body, _of_redirections(block))
        name, *values = [each.text for each in header.walk() if each.kind in _WORDS]
        plain = [self._plain(value) for value in values]
        if not plain or not all(self._within(value) for value in plain):
            return Use.MORE
        shadowed = self._known.get(name)
        self._known[name] = plain[0]
        try:
            return max(self._of_all(block.children[1:]), Use.FOLDER)
        finally:
            del self._known[name]
            if shadowed is not None:
                self._known[name] = shadowed

    def _of_command(self, words: list[str], spans: list[tuple[int, int]]) -> Use:
        name, arguments = words[0], words[1:]
        plain = [self._plain(word) for word in arguments]
        judges: dict[str, Callable[[list[str], list[tuple[int, int]]], Use]] = {
            "set": self._of_set, "fish_add_path": self._of_add, "alias": self._of_alias,
            "abbr": self._of_alias,
        }  # fmt: skip
        if name in judges:
            return judges[name](plain, spans)
        if name in ("source", "."):
            return Use.FOLDER if plain and (self._within(plain[0]) or self._runs_own(plain[0])) else Use.MORE
        if name == "eval":
            return Use.FOLDER if len(plain) == 1 and self._runs_own(plain[0]) else Use.MORE
        asks = _ASKS.get(name, ())
        return Use.NOTHING if name in _HARMLESS or (plain and plain[0] in asks) else Use.MORE

    def _of_set(self, words: list[str], spans: list[tuple[int, int]]) -> Use:
        options = "".join(word[1:] for word in words if re.fullmatch(r"-[A-Za-z]+", word))
        long = [word for word in words if word.startswith("--")]
        rest = [number for number, word in enumerate(words) if not word.startswith("-")]
        if "q" in options or "--query" in long:
            return Use.NOTHING
        if not rest:
            return Use.MORE
        if "e" in options or "--erase" in long:
            return Use.FOLDER if all(words[each] in self._known for each in rest) else Use.MORE
        name = words[rest[0]]
        return self._of_assignment(name, [(words[each], spans[each]) for each in rest[1:]])

    def _of_assignment(self, name: str, values: list[tuple[str, tuple[int, int]]]) -> Use:
        if name in self._places.names and not any("(" in value for value, _ in values):
            self._names.add(name)
            return Use.FOLDER
        own = [each for each in values if self._within(each[0]) or self._runs_own(each[0])]
        if not own:
            if name in self._known and name not in self._places.names:
                del self._known[name]  # set anew, to something else
            return Use.MORE
        if not all(each in own or (each[0] == f"${name}" and name in LISTS) for each in values):
            if name not in LISTS:
                return Use.MORE
            self._parts += [span for _, span in own]
            return Use.PART
        if name not in LISTS:
            self._names.add(name)
            if len(values) == 1:
                self._known[name] = values[0][0]
        return Use.FOLDER

    def _of_add(self, words: list[str], spans: list[tuple[int, int]]) -> Use:
        folders = [number for number, word in enumerate(words) if not word.startswith("-")]
        own = [each for each in folders if self._within(words[each])]
        if own and len(own) < len(folders):
            self._parts += [spans[each] for each in own]
            return Use.PART
        return Use.FOLDER if own else Use.MORE

    def _of_alias(self, words: list[str], spans: list[tuple[int, int]]) -> Use:
        rest = [word for word in words if not word.startswith("-")]
        value = rest[0].partition("=")[2] if len(rest) == 1 else " ".join(rest[1:])
        return Use.FOLDER if value and self._within(value) else Use.MORE

    # -- texts -----------------------------------------------------------------------------------------

    def _runs_own(self, plain: str) -> bool:
        """Whether a word consists of nothing but what one program of the folder prints."""
        found = re.fullmatch(r"\$?\(([^()|;&\n]+)\)", plain)
        return found is not None and self._within(found[1].split()[0])

    def _plain(self, text: str) -> str:
        return self._places.plain(text, self._known)

    def _within(self, plain: str) -> bool:
        return self._places.within(plain)


def _words(command: Node) -> list[str]:
    """The words of a command, without its redirections."""
    rest = (each for child in command.inside("argument_or_redirection_list") for each in child.children)
    arguments = [word.text for each in rest for word in each.inside("argument")]
    return [*(child.text for child in command.inside("string")), *arguments]


def _spans(command: Node) -> list[tuple[int, int]]:
    """Where the words stand that follow the first."""
    rest = (each for child in command.inside("argument_or_redirection_list") for each in child.children)
    return [(word.start, word.end) for each in rest for word in each.inside("argument")]


def _of_redirections(node: Node) -> Use:
    """What is written to no file, or to where another goes, changes nothing."""
    targets = [
        word.text
        for each in node.children
        if each.kind == "argument_or_redirection_list"
        for inner in each.walk()
        if inner.kind == "redirection"
        for word in inner.inside("string")
    ]
    return Use.NOTHING if all(re.fullmatch(r"/dev/null|\d|-", target) for target in targets) else Use.MORE


def _bodies(node: Node) -> Iterator[Node]:
    """The lists of statements in it, the outermost of each branch."""
    for child in node.children:
        if child.kind == "job_list":
            yield child
        else:
            yield from _bodies(child)


def _without(content: bytes, node: Node, cut: list[Statement]) -> str:
    """A node's text without what is cut out of it."""
    at, left = node.start, b""
    for each in sorted(cut, key=lambda c: c.start):
        left += content[at : each.start]
        at = each.end
    return os.fsdecode(left + content[at : node.end])


def _statement(
    content: bytes,
    start: int,
    end: int,
    cut: tuple[int, int] | None = None,
    names: frozenset[str] = frozenset(),
) -> Statement:
    text, line = os.fsdecode(content[start:end]), content.count(b"\n", 0, start) + 1
    return Statement(*(cut or (start, end)), line, text, cut is not None, names)
