"""Lines that end with CR LF, as Windows writes them: to most shells the CR is a letter of the last word."""

from __future__ import annotations

import shlex
import sys

from zesty_anchor.shells.known import SHELLS


def crlf_lines(content: bytes | None) -> tuple[int, int]:
    """How many lines of a file end with CR LF, and the number of the first; zeros where none does. Pure."""
    rows = [number for number, row in enumerate((content or b"").split(b"\n")[:-1], 1) if row.endswith(b"\r")]
    return len(rows), rows[0] if rows else 0


def misread(language: str, content: bytes | None) -> bool:
    """Whether a shell reads a file otherwise than it was meant, because of how its lines end. Pure."""
    return bool(content) and not SHELLS[language].ignores_cr and b"\r\n" in (content or b"")


def described(content: bytes | None) -> str:
    """What is wrong with such a file. Pure."""
    number, _ = crlf_lines(content)
    lines = "1 line ends" if number == 1 else f"{number} lines end"
    return f"{lines} with CR LF, as on Windows, and the shell takes the CR for a part of the command"


def fix(shown: str) -> str:
    """The command that fixes it, for a path with ``~`` for the home: that of the file itself, since sed(1)
    and perl(1) would put a file in the place of a link. Pure.
    """
    name = shown if shown.startswith("~/") and shlex.quote(shown[2:]) == shown[2:] else shlex.quote(shown)
    # BSD's sed(1) has no \r.
    return rf"perl -pi -e 's/\r$//' {name}" if sys.platform == "darwin" else rf"sed -i 's/\r$//' {name}"
