"""Which lines of a startup file of tcsh exist for an old install alone (csh(1), tcsh(1): a command ends with
its line).
"""

from __future__ import annotations

import os
import re
from collections.abc import Iterator

from zesty_anchor.survey.startup.places import Known, Places
from zesty_anchor.survey.startup.statement import LISTS, Statement, Use

_OPENS = re.compile(r"\s*(?:if\b.*\bthen\s*$|foreach\b|while\b|switch\b)")
_CLOSES = re.compile(r"\s*(?:endif|end|endsw)\s*$")
_BETWEEN = re.compile(r"\s*(?:else\b.*|breaksw|case\b.*|default:?)\s*$")
_ONE_LINE = re.compile(r"if\s*\((?P<test>[^()]*)\)\s*(?P<then>(?!.*\bthen$).+)")
_QUIET = re.compile(r"\s*>&?\s*/dev/null")
_SET = re.compile(r"set\s+(\w+)\s*=\s*\((.*)\)|setenv\s+(\w+)\s+(.+)|set\s+(\w+)\s*=\s*(\S+)")


def csh_statements_about(content: bytes, places: Places, known: Known | None = None) -> list[Statement]:
    """The lines, or the blocks, that speak of what is to go, in order; see ``statements_about``. Pure."""
    known = dict(places.known) if known is None else known
    if not places.may_speak(os.fsdecode(content), known):
        return []
    return list(_Reader(content, places, known).found())


def block_rows(content: bytes, line: int) -> tuple[int, int]:
    """The bytes of the command in a line, with its continuation, or of the block that begins there, without
    the end of the last line. Pure.
    """
    lines = list(_lines(content))
    at = next((n for n, each in enumerate(lines) if each.number <= line < each.number + each.rows), None)
    if at is None:
        return 0, 0
    last = lines[_block(lines, at) - 1]
    first = lines[at]
    blanks = len(content[first.start : first.end]) - len(content[first.start : first.end].lstrip())
    return first.start + blanks, last.start + len(content[last.start : last.end].rstrip())


class _Line:
    """A command over one or more rows."""

    def __init__(self, start: int, end: int, number: int, raw: bytes) -> None:
        self.start, self.end, self.number = start, end, number
        self.rows = max(1, raw.count(b"\n"))
        self.raw = os.fsdecode(raw).replace("\\\n", "  ").rstrip("\r\n")
        bare = _without_comment(self.raw)
        self.text = bare.strip().rstrip(";").strip()


def _lines(content: bytes) -> Iterator[_Line]:
    """The commands of a file, each with the rows that a backslash joins to it."""
    start = number = 0
    rows = content.splitlines(keepends=True)
    while number < len(rows):
        first = number
        while rows[number].rstrip(b"\r\n").endswith(b"\\") and number + 1 < len(rows):
            number += 1
        raw = b"".join(rows[first : number + 1])
        yield _Line(start, start + len(raw), first + 1, raw)
        start, number = start + len(raw), number + 1


def _block(lines: list[_Line], at: int) -> int:
    """Where the block ends that begins here; the next line where none does."""
    if not _OPENS.match(lines[at].text):
        return at + 1
    depth = 0
    for number in range(at, len(lines)):
        depth += bool(_OPENS.match(lines[number].text)) - bool(_CLOSES.match(lines[number].text))
        if depth == 0:
            return number + 1
    return len(lines)


class _Reader:
    """Judges the lines of one file. Nothing is run."""

    def __init__(self, content: bytes, places: Places, known: Known) -> None:
        self._content = content
        self._places = places
        self._known = known
        self._names: set[str] = set()
        self._parts: list[str] = []

    def found(self) -> Iterator[Statement]:
        """The lines about what is to go: of a block that does more those inside it, but of one with a further
        block in it, or of a loop, none.
        """
        lines = list(_lines(self._content))
        at = 0
        while at < len(lines):
            end = _block(lines, at)
            yield from self._of_block(lines[at:end]) if end > at + 1 else self._of_line(lines[at])
            at = end

    def _of_block(self, lines: list[_Line]) -> Iterator[Statement]:
        spoken = [line for line in lines if self._speaks(line.text)]
        if not spoken:
            return
        self._names = set()
        inner = [line for line in lines[1:-1] if line.text and not _BETWEEN.match(line.text)]
        nested = any(_OPENS.match(line.text) for line in inner)
        uses = [self._use(line.text) for line in inner]
        loop = lines[0].text.startswith(("foreach", "while"))
        if (
            not nested
            and not loop
            and uses
            and all(use in (Use.FOLDER, Use.NOTHING) for use in uses)
            and self._test(lines[0].text)
        ):
            text = os.fsdecode(self._content[lines[0].start : lines[-1].end]).rstrip()
            yield Statement(
                lines[0].start, lines[-1].end, lines[0].number, text, True, frozenset(self._names)
            )
            return
        for line in spoken:
            self._names = set()
            own = line in inner and not nested and not loop and self._use(line.text) is Use.FOLDER
            yield Statement(line.start, line.end, line.number, line.text, own, frozenset(self._names))

    def _of_line(self, line: _Line) -> Iterator[Statement]:
        if not line.text or not self._speaks(line.text):
            self._use(line.text)
            return
        self._names, self._parts = set(), []
        use = self._use(line.text)
        names = frozenset(self._names)
        if use is Use.PART:
            for part in self._parts:
                row = self._content[line.start : line.end]
                place = re.search(rb"[ \t]*" + re.escape(os.fsencode(part)) + rb"(?=[\s)])", row)
                if place:
                    span = (line.start + place.start(), line.start + place.end())
                    yield Statement(*span, line.number, line.text, True, names)
            return
        yield Statement(line.start, line.end, line.number, line.text, use is Use.FOLDER, names)

    def _speaks(self, text: str) -> bool:
        if any(
            re.search(rf"\b(?:set|setenv|unset|unsetenv)\s+{re.escape(name)}\b", text)
            for name in self._places.names
        ):
            return True
        return self._places.speaks(self._places.plain(text, self._known))

    def _test(self, text: str) -> bool:
        """Whether a condition only tests: runs nothing."""
        return "`" not in text and "{" not in text

    def _use(self, text: str) -> Use:
        text = _QUIET.sub("", text).strip().rstrip(";").strip()
        if not text:
            return Use.NOTHING
        bare = re.sub(r"'[^'\n]*'", "''", text)  # what is in single quotes is one word
        if ";" in bare or "|" in bare or "&&" in bare:
            return Use.MORE
        one = _ONE_LINE.fullmatch(text)
        if one:
            use = self._use(one["then"])
            return use if self._test(one["test"]) and use is not Use.PART else Use.MORE
        found = _SET.fullmatch(text)
        if found:
            name = found[1] or found[3] or found[5]
            return self._of_assignment(name, (found[2] or "").split() if found[1] else [found[4] or found[6]])
        words = text.split()
        if words[0] in ("unset", "unsetenv"):
            return (
                Use.FOLDER if len(words) > 1 and all(word in self._known for word in words[1:]) else Use.MORE
            )
        if words[0] == "source" and len(words) == 2:
            return Use.FOLDER if self._own(words[1]) else Use.MORE
        if words[0] == "alias" and len(words) > 2:
            return Use.FOLDER if self._own(" ".join(words[2:])) else Use.MORE
        if words[0] == "eval" and len(words) > 1:
            runs = re.fullmatch(r"eval\s+[\"']?`([^`|;&]+)`[\"']?", text)
            return Use.FOLDER if runs and self._own(runs[1].split()[0]) else Use.MORE
        return Use.NOTHING if words[0] in ("which", "where", "rehash") else Use.MORE

    def _own(self, word: str) -> bool:
        return self._places.within(self._places.plain(word, self._known))

    def _of_assignment(self, name: str, words: list[str]) -> Use:
        if name in self._places.names:
            self._names.add(name)
            return Use.FOLDER
        if len(words) == 1 and ":" in words[0]:
            parts = words[0].strip('"').split(":")
            own = [part for part in parts if self._own(part)]
            itself = [part for part in parts if part.strip("{}$") == name or part == f"${{{name}}}"]
            return Use.FOLDER if own and len(own) + len(itself) == len(parts) else Use.MORE
        own = [word for word in words if self._own(word)]
        if not own:
            if name not in self._places.names:
                self._known.pop(name, None)
            return Use.MORE
        rest = [
            word
            for word in words
            if word not in own and word.strip('"') not in (f"${name}", f"${{{name}}}", "$path")
        ]
        if rest:
            self._parts += own
            return Use.PART
        if name not in LISTS:
            self._names.add(name)
            if len(words) == 1:
                self._known[name] = self._places.plain(words[0], self._known)
        return Use.FOLDER


def _without_comment(text: str) -> str:
    """A line without its comment: ``#`` at the beginning of a word, outside of quotes."""
    quote = ""
    for at, letter in enumerate(text):
        if quote:
            quote = "" if letter == quote else quote
        elif letter in "\"'`":
            quote = letter
        elif letter == "#" and (at == 0 or text[at - 1] in " \t;"):
            return text[:at]
    return text
