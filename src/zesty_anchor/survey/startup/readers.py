"""What reads a variable: a line that sets one which any line that stays reads, stays too."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path
from typing import NamedTuple


class Reads(NamedTuple):
    """A line that reads a variable."""

    file: Path
    line: int


def reads_of(name: str, texts: Mapping[Path, bytes]) -> Iterator[Reads]:
    """The lines, of all these files, that read a variable or name it otherwise than by setting it. Comments
    that take a whole line do not count. Pure.
    """
    word = re.escape(name.encode())
    uses = re.compile(
        rb"\$[{#!=~^+]*" + word + rb"(?![\w])"  # its value
        rb"|(?<![\w$/.-])"
        + word
        + rb"(?![\w=+/.-])"  # its name: in arithmetic, for a command that looks it up
    )
    sets = re.compile(rb"(?:setenv|set(?:\s+-\w+)*|unset|unsetenv)\s+" + word + rb"(?!\w)")
    for file, content in texts.items():
        if name.encode() not in content:
            continue
        for number, row in enumerate(content.splitlines(), 1):
            if not row.lstrip().startswith(b"#") and uses.search(sets.sub(b"", row)):
                yield Reads(file, number)


def reader_of(
    name: str, found: Sequence[Reads], set_in: Path, set_at: int, texts: Mapping[Path, bytes]
) -> Reads | None:
    """The first of the lines ``found`` that may read what a line sets: none where all of them are in that
    same file, after the variable was set anew. Pure.
    """
    if not found:
        return None
    anew = _set_anew(name, texts.get(set_in, b""), set_at)
    if anew and all(each.file == set_in and each.line > anew for each in found):
        return None
    return found[0]


def _set_anew(name: str, content: bytes, line: int) -> int:
    """The line after this one that sets a variable to something else, whatever happens between: 0 where there
    is none that certainly does.
    """
    word = re.escape(name.encode())
    sets = re.compile(
        rb"(?:export +)?"
        + word
        + rb"=(?!\()|set(?: +-\w+)* +"
        + word
        + rb" +[^-]|set +"
        + word
        + rb" *=|setenv +"
        + word
        + rb" "
    )
    for number, row in enumerate(content.splitlines()[line:], line + 1):
        if sets.match(row):
            return number
        if row.strip() and not row.lstrip().startswith(b"#") and _BLOCK.match(row):
            return 0
    return 0


_BLOCK = re.compile(
    rb"\s|(?:if|elif|else|fi|for|foreach|while|until|done|case|esac|select|function|switch|begin|end|endif|endsw|return|exit|exec)\b"
    rb"|.*(?:[{}()]|&&|\|\|)\s*$|[{}()]"
)
"""A line that may decide whether the next ones run."""
