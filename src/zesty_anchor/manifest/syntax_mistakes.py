"""What people write where TOML is expected, each with the line to write instead. Pure."""

from __future__ import annotations

import re
import tomllib
from collections.abc import Callable, Iterator, Sequence
from typing import NamedTuple

_KEY = r"[A-Za-z0-9_.-]+"
_CURLY = str.maketrans({"“": '"', "”": '"', "„": '"', "«": '"', "»": '"', "‘": "'", "’": "'"})


class Mistake(NamedTuple):
    """What is wrong, on which line (from 1), and what to write, or to do, instead."""

    what: str
    line: int
    advice: str


def mistake(text: str, message: str, line: int) -> Mistake:
    """The mistake behind a message of the parser (tomllib), which was met on a line."""
    rows = text.splitlines()
    for found in _of_whole(text, rows):
        return found
    line = _begun(rows, message, line)
    row = rows[line - 1] if 0 < line <= len(rows) else ""
    for what, pattern, advice in _TWICE:
        if re.search(pattern, message):
            return Mistake(what, line, advice.format(first=_first(rows, line)))
    if row.rstrip().endswith("{"):
        return Mistake("an inline table is on one line", line, "write a table: [NAME], and its keys below it")
    if line > 1 and (not row.strip() or _reads(row)):  # it was the line before that did not end
        line, row = line - 1, rows[line - 2]
    for what, instead in _FORMS:
        better = instead(row)
        if better == "" or (better is not None and better != row.strip() and _reads(better)):
            return Mistake(what, line, f"write: {better}" if better else "take the line out")
    shown = row.strip() or "the end of the file"
    return Mistake(f"this is not TOML: {message.split(' (at ')[0].lower()}", line, f"look at: {shown}")


def _of_whole(text: str, rows: Sequence[str]) -> Iterator[Mistake]:
    """What is wrong with the file as a whole."""
    if text.startswith("\ufeff"):
        yield Mistake(
            "the file begins with a byte order mark", 1, "save it as UTF-8 without one (BOM) in your editor"
        )
    first = next((n for n, row in enumerate(rows, 1) if row.strip()), 1)
    begin = rows[first - 1].strip() if rows else ""
    if begin.startswith("{"):
        yield Mistake(
            "this is JSON, and TOML is expected", first, 'write tables: [runtimes.kelp], then want = "4.2"'
        )
    if begin in ("---", "%YAML 1.2"):
        yield Mistake(
            "this is YAML, and TOML is expected", first, 'write tables: [runtimes.kelp], then want = "4.2"'
        )
    for number, row in enumerate(rows, 1):
        if re.match(r"<{7}|={7}$|>{7}", row):
            yield Mistake(
                "two versions of the file were merged, and not resolved", number, "keep one of them"
            )


def _begun(rows: Sequence[str], message: str, line: int) -> int:
    """The line of a list or table that is not closed: the parser names the end of the file, or where it gave
    up.
    """
    if not re.search(r"Unclosed array|Unclosed inline|end of document", message):
        return line
    depth: list[int] = []
    for number, row in enumerate(rows, 1):
        bare = re.sub(r'"(?:[^"\\]|\\.)*"|\'[^\']*\'|#.*', "", row)
        if re.match(r"\s*\[", bare) and not depth:
            continue
        for letter in bare:
            if letter in "[{":
                depth.append(number)
            elif letter in "]}" and depth:
                depth.pop()
    return depth[0] if depth else line


def _reads(row: str) -> bool:
    """Whether a line is TOML by itself."""
    try:
        tomllib.loads(row)
    except (tomllib.TOMLDecodeError, ValueError):
        return False
    return True


def _matched(pattern: str, better: str) -> Callable[[str], str | None]:
    """What to write in place of a line of this form; None for another line."""

    def instead(row: str) -> str | None:
        found = re.fullmatch(pattern, row)
        return found.expand(better).strip() if found else None

    return instead


def _straight(row: str) -> str | None:
    straight = row.translate(_CURLY)
    return straight.strip() if straight != row else None


def _commented(row: str) -> str | None:
    found = re.fullmatch(r"(.*?)\s*(?://|;|--)\s+(.*)", row)
    return f"{found[1].strip()}  # {found[2]}".strip() if found and not row.lstrip().startswith("#") else None


def _closed(row: str) -> str | None:
    """A line with the quote or bracket that it lacks."""
    bare = row.split(" #")[0].rstrip()
    return next(
        (bare.strip() + end for end in ('"', "'", "]", '"]', "}", '" }', "]]") if _reads(bare + end)), None
    )


def _listed(row: str) -> str | None:
    """A list whose texts have no commas between them, or no quotes around them."""
    found = re.fullmatch(rf"\s*({_KEY})\s*=\s*\[(.*)\]\s*", row)
    if found is None:
        return None
    items = re.findall(r'"[^"]*"|\'[^\']*\'|[^\s,]+', found[2])
    quoted = (each if each[0] in "\"'" else f'"{each}"' for each in items)
    return f"{found[1]} = [{', '.join(quoted)}]"


_NO_QUOTES = "a text value needs quotes"

_FORMS: tuple[tuple[str, Callable[[str], str | None]], ...] = (
    ("these are curly quotes", _straight),
    ("true and false are lower case", _matched(rf"\s*({_KEY})\s*=\s*True\b(.*)", r"\1 = true\2")),
    ("true and false are lower case", _matched(rf"\s*({_KEY})\s*=\s*False\b(.*)", r"\1 = false\2")),
    ("the values are true and false", _matched(rf"\s*({_KEY})\s*=\s*(?:yes|on)\s*", r"\1 = true")),
    ("the values are true and false", _matched(rf"\s*({_KEY})\s*=\s*(?:no|off)\s*", r"\1 = false")),
    ("TOML has no null: leave the key out", _matched(rf"\s*{_KEY}\s*=\s*(?:null|None|nil)\s*", "")),
    ("a key has no value", _matched(rf"\s*({_KEY})\s*=\s*(?:#.*)?", r'\1 = ""')),
    ("a variable is set as in a shell", _matched(rf"\s*(?:export|set|setenv)\s+({_KEY})[= ]\s*['\"]?([^'\"]*)['\"]?\s*", r'\1 = "\2"')),
    ("a comment begins with #", _commented),
    ("a key is followed by =, and not by a colon", _matched(rf"\s*\"?({_KEY})\"?\s*:\s*(\"[^\"]*\"|'[^']*'|\[.*\]|true|false|\d+),?\s*", r"\1 = \2")),
    ("a key is followed by =, and not by a colon", _matched(rf"\s*({_KEY}):\s+([^\"'\[{{#]+?)\s*", r'\1 = "\2"')),
    ("this is a table of YAML", _matched(rf"\s*({_KEY}):\s*", r"[\1]")),
    ("a key is followed by a single =", _matched(rf"\s*({_KEY})\s*(?:==|:=|=>)\s*(.*)", r"\1 = \2")),
    ("a line ends without a comma or semicolon", _matched(r"\s*(.*?)\s*[,;]\s*", r"\1")),
    ("a list has commas between quoted texts", _listed),
    ("the end of the line lacks a quote or a bracket", _closed),
    ("a table's name is in brackets", _matched(rf"\s*\[?\s*({_KEY})\s*\]?\s*", r"[\1]")),
    ("a path with backslashes needs single quotes", _matched(rf"\s*({_KEY})\s*=\s*\"([^\"']*\\[^\"']*)\"\s*", r"\1 = '\2'")),
    (_NO_QUOTES, _matched(rf"\s*({_KEY})\s*=\s*\"?([^\"'\[{{#]+?)\"?\s*", r'\1 = "\2"')),
    (_NO_QUOTES, _matched(rf"\s*({_KEY})\s*=\s*([^\"'\[{{#]+?)\s*(#.*)", r'\1 = "\2"  \3')),
    ("a key with blanks needs quotes", _matched(r"\s*([A-Za-z][\w -]*[\w-])\s*=\s*(.*)", r'"\1" = \2')),
)  # fmt: skip
"""Forms of a line, each with what is wrong with it and what to write; the first whose better line is TOML."""

_TWICE = (
    ("this table is there already", r"Cannot declare .* twice", "move its keys below the first one: line {first}"),
    ("this key is there already", r"Cannot overwrite a value", "remove one of them: the first is on line {first}"),
)  # fmt: skip
"""What the parser says of what is there twice, with what to do."""


def _first(rows: Sequence[str], line: int) -> int:
    """The first line that is a table, or a key, of the same name as a line's."""

    def name(row: str) -> str:
        return row.strip() if row.strip().startswith("[") else row.partition("=")[0].strip()

    return next((n for n in range(1, line) if name(rows[n - 1]) == name(rows[line - 1])), line)
