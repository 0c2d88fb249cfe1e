"""What reads a variable: a line that sets one which any line that stays reads, stays too."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from pathlib import Path
from typing import NamedTuple


class Reads(NamedTuple):
    """A line that reads a variable."""

    file: Path
    line: int


def reads_of(name: str, texts: Mapping[Path, bytes]) -> Reads | None:
    """The first line, of all these files, that reads a variable or names it otherwise than by setting it.
    Comments that take a whole line do not count. Pure.
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
            if row.lstrip().startswith(b"#"):
                continue
            if uses.search(sets.sub(b"", row)):
                return Reads(file, number)
    return None


def names_read(names: Iterable[str], texts: Mapping[Path, bytes]) -> dict[str, Reads]:
    """Those of the variables that some line reads, each with the first. Pure."""
    found = {name: reads_of(name, texts) for name in names}
    return {name: reads for name, reads in found.items() if reads is not None}
