"""How a shell is started so that it tells what it does: what is common to all of them."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

import msgspec

from zesty_anchor.shells.posix import quote
from zesty_anchor.shells.reading import Context, Reading

RECORD, FIELD = "\x1e", "\x1f"
"""What stands around a traced line's prompt, and between its parts."""
CHANNEL = 9
"""The descriptor of the trace, for shells that write it to one of its own."""
FileLine = tuple[str, int]
"""A file and a line; 0 where only the file is known."""
Started = tuple[list[str], Mapping[str, str]]
"""A command as words, and what its environment needs beside a login's."""


class TracePrompt(msgspec.Struct, frozen=True):
    """What PS4 must say in a shell's language to give the time, the file, the line, whether it is inside of
    an evaluation, how deep in subshells, and the function with the place of its call; empty for what the
    shell does not tell.
    """

    clock: str = ""
    file: str = ""
    line: str = "$LINENO"
    inside: str = ""
    depth: str = ""
    call: str = ""

    def text(self, variable: str) -> str:
        """The prompt, with the value of a variable (empty: of none). Pure."""
        value = f"${{{variable}-}}" if variable else ""
        parts = ["+", self.clock, self.file, self.line, self.inside, "$PATH", self.depth, self.call, value]
        return RECORD + FIELD.join(parts) + RECORD


class TraceStart(msgspec.Struct, frozen=True):
    """One start that is traced: the shell's ``program`` and the ``context``, the ``room`` that it writes to
    (``trace``, ``profile``), the file of the ``probe`` that it reads at the end, whose answer goes to
    ``told``, the ``variable`` that is asked about, and the files that it would read (``readings``).
    """

    program: str
    context: Context
    room: Path
    variable: str
    readings: tuple[Reading, ...]

    @property
    def options(self) -> list[str]:
        """The context's."""
        return list(self.context.options)

    @property
    def probe(self) -> str:
        """The file of the probe, quoted for sh."""
        return quote(str(self.room / "probe"))

    @property
    def told(self) -> str:
        """The file of its answer, quoted for sh."""
        return quote(str(self.room / "told"))

    @property
    def source(self) -> str:
        """What a shell like sh runs at the end."""
        return f". {self.probe} >{self.told}"
