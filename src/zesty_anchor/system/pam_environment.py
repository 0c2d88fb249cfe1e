"""/etc/environment, as pam_env(8) reads it: what it can carry, and setting some names in it. Pure."""

from __future__ import annotations

import re
from collections.abc import Mapping
from pathlib import Path

FILE = Path("/etc/environment")

_LINE = rb"^\s*(?:export\s+)?([A-Za-z_][A-Za-z0-9_]*)="


def unfit(value: str) -> str:
    """Why a value cannot be carried there; empty where it can.

    pam_env reads a line, takes off white space at the end and one pair of quotes around, and knows no
    escapes.
    """
    if "\n" in value or "\r" in value or "\0" in value:
        return "it holds a line end"
    if "#" in value:
        return "it holds a #, which begins a comment there"
    if '"' in value or "'" in value:
        return "it holds a quote, which is taken out there"
    if "\\" in value:
        return "it holds a backslash, which joins lines there"
    if len(value) > 900:
        return "it is longer than 900 letters"
    return ""


def with_variables(content: bytes, variables: Mapping[str, str]) -> bytes:
    """The file's content with these names set. A line that sets one is replaced, the last such counts; else
    added.
    """
    rows = content.splitlines(keepends=True)
    left = dict(variables)
    for place in range(len(rows) - 1, -1, -1):
        found = re.match(_LINE, rows[place])
        name = found[1].decode() if found else ""
        if name in left:
            end = b"\n" if rows[place].endswith(b"\n") else b""
            rows[place] = _line(name, left.pop(name)) + end
    if left and rows and not rows[-1].endswith(b"\n"):
        rows[-1] += b"\n"
    return b"".join([*rows, *(_line(name, value) + b"\n" for name, value in left.items())])


def by_hand(content: bytes, variables: Mapping[str, str]) -> tuple[tuple[str, ...], ...]:
    """The commands that set these names, for an administrator: old lines out with sed(1), new ones added."""
    there = {found[1].decode() for row in content.splitlines() if (found := re.match(_LINE, row))}
    commands = [
        ("sed", "-i", rf"/^\s*\(export\s\+\)\?{name}=/d", str(FILE)) for name in variables if name in there
    ]
    import shlex

    lines = " ".join(shlex.quote(_line(name, value).decode()) for name, value in variables.items())
    return (*commands, ("sh", "-c", f"printf '%s\\n' {lines} >>{FILE}"))


def _line(name: str, value: str) -> bytes:
    return f'{name}="{value}"'.encode()
