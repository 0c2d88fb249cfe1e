"""Which statements of a fish startup file exist for one folder (fish(1), "The fish language").

The file is taken apart into commands and blocks here; whether what is left is well formed, fish itself is asked
(``--no-execute``) before it is put in place.
"""

from __future__ import annotations

import os
import re
from collections.abc import Iterator
from pathlib import Path

import msgspec

from zesty_anchor.survey.statements import Known, Statement, Use

_OPENS = ("begin", "if", "for", "while", "function", "switch")
_HARMLESS = ("test", "[", "type", "command", "status", "true", "false", "else", "case", "end", "builtin", "string")
_PATHS = ("PATH", "fish_user_paths", "MANPATH", "fish_function_path", "fish_complete_path")
_JOINS = ("and", "or", "not", "!", "else", "begin", "if")


class Command(msgspec.Struct, frozen=True):
    """One command: its words as written, where it begins and ends, and how deep in blocks it stands."""

    words: tuple[str, ...]
    start: int
    end: int
    depth: int


def fish_statements_about(content: bytes, folder: Path, home: Path, known: Known | None = None) -> list[Statement]:
    """The outermost statements that mention a folder, in order; see ``statements_about``. Pure."""
    text = os.fsdecode(content)
    reader = _Reader(str(folder), str(home), {} if known is None else known)
    found = []
    for group in _groups(list(commands(text)), text):
        start, end = group[0].start, group[-1].end
        if not any(reader.mentions(text[each.start : each.end]) for each in group):
            continue
        begin = text.rfind("\n", 0, start) + 1
        stop = text.find("\n", end)
        stop = len(text) if stop < 0 else stop + 1
        after = text[end:stop].strip().lstrip(";").strip()
        alone = not text[begin:start].strip() and (not after or after.startswith("#"))
        serves = alone and max(reader.use(each) for each in group) is Use.FOLDER
        span = (begin, stop) if serves else (start, end)
        at, to = (len(os.fsencode(text[:place])) for place in span)
        found.append(Statement(at, to, text.count("\n", 0, start) + 1, text[start:end], serves))
    return found


def commands(text: str) -> Iterator[Command]:
    """The commands of a text, in order. A block's first and last word are commands of its own depth. Pure."""
    depth = 0
    for words, start, end in _simple(text):
        rest = list(words)
        while rest and rest[0] in ("and", "or", "not", "!", "time"):
            rest.pop(0)
        first = rest[0] if rest else ""
        if first == "end":
            depth = max(0, depth - 1)
        yield Command(tuple(words), start, end, depth)
        depth += first in _OPENS


_TOKEN = re.compile(
    r"""(?P<space>(?:[ \t]|\\\r?\n)+)|(?P<comment>\#[^\n]*)|(?P<stop>\r?\n|;|&(?![&>])|&&|\|\|)"""
    r"""|(?P<word>(?:'(?:\\.|[^'\\])*'|"(?:\\.|[^"\\])*"|\((?:[^()]|\([^()]*\))*\)|\\.|[^\s;&|'"()\\]|\|(?!\|)|&>|[()])+)""",
    re.DOTALL,
)


def _simple(text: str) -> Iterator[tuple[list[str], int, int]]:
    words: list[str] = []
    start = end = 0
    for found in _TOKEN.finditer(text):
        kind = found.lastgroup
        if kind == "word":
            if not words:
                start = found.start()
            words.append(found[0])
            end = found.end()
        elif kind == "stop" and words:
            yield words, start, end
            words = []
    if words:
        yield words, start, end


def _groups(listed: list[Command], text: str) -> Iterator[list[Command]]:
    """Outermost statements: a block whole, and commands that ``and``, ``or`` or one line hold together."""
    group: list[Command] = []
    for each in listed:
        inside = each.depth > 0 or each.words[0] == "end"
        joined = each.words[0] in ("and", "or") or (group and "\n" not in text[group[-1].end : each.start])
        if group and not inside and not joined:
            yield group
            group = []
        group.append(each)
    if group:
        yield group


class _Reader:
    """Judges commands. Nothing is run."""

    def __init__(self, folder: str, home: str, known: Known) -> None:
        self._folder = folder
        self._home = home
        self._known = known

    def mentions(self, text: str) -> bool:
        """Whether a text speaks of the folder."""
        return re.search(re.escape(self._folder) + r"(?![\w.-])", self._plain(text)) is not None

    def use(self, command: Command) -> Use:
        """What a command is for."""
        words = list(command.words)
        while words and words[0] in _JOINS:
            words.pop(0)
        if not words:
            return Use.NOTHING
        name, arguments = words[0], words[1:]
        plain = [self._plain(word) for word in arguments]
        if "|" in arguments:
            own = self._within(self._plain(name)) and arguments[arguments.index("|") + 1 :] in (
                ["source"],
                ["."],
                ["source", "-"],
            )
            return Use.FOLDER if own else Use.MORE
        judge = {"set": self._of_set, "fish_add_path": self._of_add, "alias": self._of_alias}.get(name)
        if judge is not None:
            return judge(plain)
        if name in ("source", "."):
            return Use.FOLDER if plain and self._within(plain[0]) else Use.MORE
        if name == "for" and len(plain) > 2 and all(self._within(value) for value in plain[2:]):
            self._known[arguments[0]] = plain[2]
            return Use.FOLDER
        return Use.NOTHING if name in _HARMLESS else Use.MORE

    def _of_set(self, words: list[str]) -> Use:
        options = [word for word in words if word.startswith("-")]
        rest = [word for word in words if not word.startswith("-")]
        if any("q" in option for option in options if not option.startswith("--")):
            return Use.NOTHING
        if not rest:
            return Use.MORE
        name, values = rest[0], rest[1:]
        if (
            any("e" in option.lstrip("-")[:6] for option in options if not option.startswith("--"))
            or "--erase" in options
        ):
            return Use.FOLDER if name in self._known else Use.MORE
        own = [value for value in values if self._within(value)]
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

    def _plain(self, text: str) -> str:
        for name, value in {"HOME": self._home, **self._known}.items():
            text = re.sub(rf"\{{\${re.escape(name)}\}}|\${re.escape(name)}\b", lambda _, v=value: v, text)  # type: ignore[misc]
        text = re.sub(r"(?<![\w/.~-])~(?=/|$|\s)", lambda _: self._home, text)
        return text.replace('"', "").replace("'", "").replace("\\\n", "")

    def _within(self, plain: str) -> bool:
        return plain == self._folder or plain.startswith(self._folder + "/")
