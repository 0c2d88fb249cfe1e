"""Which statements of a fish startup file exist for one folder, or for one variable: found with fish's own parser."""

from __future__ import annotations

import os
import re
from collections.abc import Callable, Iterable, Iterator
from pathlib import Path

from zesty_anchor.shells.fish_tree import FishParser, Node
from zesty_anchor.survey.startup.statements import Known, Statement, Use, whole_lines

_HARMLESS = ("test", "[", "type", "command", "status", "true", "false", "builtin", "string", "contains", "functions")
_PATHS = ("PATH", "fish_user_paths", "MANPATH", "fish_function_path", "fish_complete_path")
_WORDS = ("string", "argument")


def fish_statements_about(
    content: bytes, folder: Path, home: Path, known: Known | None = None, *, parser: FishParser
) -> list[Statement]:
    """The statements that mention a folder, in order; see ``statements_about``. ``parser`` is fish's own.

    Where it cannot read the file, each line that mentions the folder is shown, and none is cut.
    """
    return _found(content, _Reader(str(folder), str(home), {} if known is None else known), parser)


def fish_statements_setting(content: bytes, name: str, home: Path, *, parser: FishParser) -> list[Statement]:
    """The statements that set or use a variable; those serve that do nothing else."""
    return _found(content, _VariableReader(name, str(home)), parser)


def _found(content: bytes, reader: _Reader, parser: FishParser) -> list[Statement]:
    if not reader.may_mention(os.fsdecode(content)):
        return []
    tree = parser.tree(content)
    if tree is not None:
        return list(reader.found(tree.children, content))
    at, found = 0, []
    for number, row in enumerate(content.splitlines(keepends=True), 1):
        if reader.speaks(os.fsdecode(row)) and not row.lstrip().startswith(b"#"):
            found.append(Statement(at, at + len(row), number, os.fsdecode(row.strip()), serves=False))
        at += len(row)
    return found


class _Reader:
    """Judges statements by a folder. Nothing is run."""

    def __init__(self, folder: str, home: str, known: Known) -> None:
        self._folder = folder
        self._home = home
        self._known = known

    def may_mention(self, text: str) -> bool:
        """A quick look before the parser is asked."""
        return os.path.basename(self._folder) in text or any(name in text for name in self._known)

    def found(self, nodes: Iterable[Node], content: bytes) -> Iterator[Statement]:
        """The statements among siblings; of a block that does more, the parts inside that serve."""
        for group in self._groups(nodes, content):
            mentioned = [node for node in group if self._mentions(node, content)]
            if not mentioned:
                continue
            use = max(self._use(node) for node in group)
            start, end, alone = whole_lines(content, group[0].start, group[-1].end)
            if use is Use.FOLDER and alone:
                yield _statement(content, group[0].start, group[-1].end, (start, end))
                continue
            for node in mentioned:
                inner = [each for body in _bodies(node) for each in self.found(body.children, content) if each.serves]
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
            words[0] == "set" and any(word in self._known for word in words[1:]) for words in commands if words
        )

    def speaks(self, text: str) -> bool:
        """Whether a text speaks of the folder."""
        return re.search(re.escape(self._folder) + r"(?![\w.-])", self._plain(text)) is not None

    # -- what a statement is for -----------------------------------------------------------------------

    def _use(self, node: Node) -> Use:
        if node.kind == "decorated_statement":
            return max(self._of_command(_words(node)), _of_redirections(node))
        if node.kind == "job":
            return self._of_job(node)
        if node.kind == "block_statement":
            return self._of_block(node)
        return max((self._use(child) for child in node.children), default=Use.NOTHING)

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
        body = max((self._use(child) for child in block.children[1:]), default=Use.NOTHING)
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
            return max(max((self._use(child) for child in block.children[1:]), default=Use.NOTHING), Use.FOLDER)
        finally:
            del self._known[name]
            if shadowed is not None:
                self._known[name] = shadowed

    def _of_command(self, words: list[str]) -> Use:
        name, arguments = words[0], words[1:]
        plain = [self._plain(word) for word in arguments]
        judges: dict[str, Callable[[list[str]], Use]] = {
            "set": self._of_set, "fish_add_path": self._of_add, "alias": self._of_alias, "abbr": self._of_alias,
        }  # fmt: skip
        if name in judges:
            return judges[name](plain)
        if name in ("source", "."):
            return Use.FOLDER if plain and (self._within(plain[0]) or self._runs_own(plain[0])) else Use.MORE
        if name == "eval":
            return Use.FOLDER if len(plain) == 1 and self._runs_own(plain[0]) else Use.MORE
        return Use.NOTHING if name in _HARMLESS else Use.MORE

    def _of_set(self, words: list[str]) -> Use:
        options = "".join(word[1:] for word in words if re.fullmatch(r"-[A-Za-z]+", word))
        long = [word for word in words if word.startswith("--")]
        rest = [word for word in words if not word.startswith("-")]
        if "q" in options or "--query" in long:
            return Use.NOTHING
        if not rest:
            return Use.MORE
        name, values = rest[0], rest[1:]
        if "e" in options or "--erase" in long:
            return Use.FOLDER if all(each in self._known for each in rest) else Use.MORE
        return self._of_assignment(name, values)

    def _of_assignment(self, name: str, values: list[str]) -> Use:
        own = [value for value in values if self._within(value) or self._runs_own(value)]
        if not own or not all(value in own or (value == f"${name}" and name in _PATHS) for value in values):
            return Use.MORE
        if name not in _PATHS and len(values) == 1:
            self._known[name] = values[0]
        return Use.FOLDER

    def _of_add(self, words: list[str]) -> Use:
        folders = [word for word in words if not word.startswith("-")]
        return Use.FOLDER if folders and all(self._within(folder) for folder in folders) else Use.MORE

    def _of_alias(self, words: list[str]) -> Use:
        rest = [word for word in words if not word.startswith("-")]
        value = rest[0].partition("=")[2] if len(rest) == 1 else " ".join(rest[1:])
        return Use.FOLDER if value and self._within(value.split()[0]) else Use.MORE

    # -- texts -----------------------------------------------------------------------------------------

    def _runs_own(self, plain: str) -> bool:
        """Whether a word consists of nothing but what one program of the folder prints."""
        found = re.fullmatch(r"\$?\(([^()|;&\n]+)\)", plain)
        return found is not None and self._within(found[1].split()[0])

    def _plain(self, text: str) -> str:
        """A text with the home and known variables written out and quotes dropped: for looking, not for running."""
        for name, value in {"HOME": self._home, **self._known}.items():
            pattern = rf"\{{\${re.escape(name)}\}}|\${re.escape(name)}\b"
            text = re.sub(pattern, lambda _, v=value: v, text)  # type: ignore[misc]
        text = re.sub(r"(?<![\w/.~-])~(?=/|$|\s|\))", lambda _: self._home, text)
        return text.replace('"', "").replace("'", "").replace("\\\n", "").replace("\\ ", " ")

    def _within(self, plain: str) -> bool:
        return plain == self._folder or plain.startswith(self._folder + "/")


class _VariableReader(_Reader):
    """Judges by a variable: whatever it holds counts as the folder."""

    def __init__(self, name: str, home: str) -> None:
        folder = f"/\x00variable/{name}"
        super().__init__(folder, home, {name: folder})
        self._name = name

    def speaks(self, text: str) -> bool:
        """Whether a text uses the variable, or sets it."""
        return super().speaks(text) or re.search(rf"\bset\b[^\n;]*\s{self._name}\b", text) is not None

    def _of_assignment(self, name: str, values: list[str]) -> Use:
        if name == self._name and not any("(" in value for value in values):
            return Use.FOLDER
        return super()._of_assignment(name, values)


def _words(command: Node) -> list[str]:
    """The words of a command, without its redirections."""
    rest = (each for child in command.inside("argument_or_redirection_list") for each in child.children)
    arguments = [word.text for each in rest for word in each.inside("argument")]
    return [*(child.text for child in command.inside("string")), *arguments]


def _of_redirections(node: Node) -> Use:
    """What is written to no file, or to where another goes, changes nothing."""
    targets = [word.text for each in node.children if each.kind == "argument_or_redirection_list"
               for inner in each.walk() if inner.kind == "redirection" for word in inner.inside("string")]  # fmt: skip
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


def _statement(content: bytes, start: int, end: int, cut: tuple[int, int] | None = None) -> Statement:
    text, line = os.fsdecode(content[start:end]), content.count(b"\n", 0, start) + 1
    return Statement(*(cut or (start, end)), line, text, serves=cut is not None)
