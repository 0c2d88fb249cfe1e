"""The change that puts the block into a startup file, mends it, or takes it out."""

from __future__ import annotations

import os
from collections.abc import Iterable, Sequence
from typing import ClassVar

from zesty_anchor.changes.base import FileChange
from zesty_anchor.changes.change import Bench, Record, Stage
from zesty_anchor.changes.syntax import check_syntax
from zesty_anchor.changes.text_file import Edit, put_back
from zesty_anchor.manifest.wanted import Wanted
from zesty_anchor.shells.known import LANGUAGES
from zesty_anchor.shells.shell import MARK
from zesty_anchor.survey.machine import Machine, generated_file
from zesty_anchor.survey.sites import sites

_MARK = MARK.encode()


class WriteBlock(FileChange, frozen=True):
    """Edit one startup file so that it holds the right block, once, or none."""

    checker: str | None
    kind: ClassVar[str] = "startup-file"
    stage: ClassVar[Stage] = Stage.SHELL

    def prepare(self, bench: Bench) -> Record:
        """See ``Change``. The file that is to come is checked with the shell's own ``-n`` first."""
        if self.checker and self.edit.after is not None:
            check_syntax(self.checker, self.edit.file, self.edit.after)
        return self.edit.prepare(bench)


class Blocks:
    """The kind."""

    name = "startup-file"

    def plan(self, wanted: Wanted, machine: Machine) -> Iterable[WriteBlock]:
        """See ``Kind``. Startup files that should not hold a block, and do, lose it."""
        locations = machine.locations
        placed = {site.file: site for site in sites(wanted.shells, machine)}
        for path, file in machine.startup.items():
            site = placed.get(path)
            line = (
                os.fsencode(LANGUAGES[site.language].block(generated_file(locations, site.language), locations.home))
                if site
                else None
            )
            after = with_block(file.content, line)
            if after != file.content:
                edit = Edit(file, after)
                edit.check_writable()
                yield WriteBlock(edit, locations.shown(path), self._checker(path, machine))

    @staticmethod
    def _checker(path: object, machine: Machine) -> str | None:
        """The shell whose ``-n`` is asked about a startup file: its own, or for .profile the one that reads it."""
        name = "zsh" if ".z" in str(path).rpartition("/")[2][:2] else "bash"
        shell = machine.shell(name)
        return shell.program if shell else None

    def take_back(self, record: Record, bench: Bench) -> Sequence[str]:
        """See ``Kind``."""
        return put_back(record)


def with_block(content: bytes | None, line: bytes | None) -> bytes | None:
    """A startup file's content with exactly the one block ``line`` (None: without a block).

    A right block stays where it is. A wrong one is replaced in its place; a new one goes to the end, after
    the file's own lines. It always ends in a line feed alone, also in a file with CRLF: a shell would take
    the CR for a part of the command. Pure.
    """
    if content is None:
        return None if line is None else line + b"\n"
    rows = content.splitlines(keepends=True)
    marked = [i for i, row in enumerate(rows) if row.rstrip().endswith(_MARK)]
    if line is None:
        return b"".join(row for i, row in enumerate(rows) if i not in marked)
    if not marked:
        gap = b"" if not rows or rows[-1].endswith(b"\n") else b"\n"
        return content + gap + line + b"\n"
    kept = marked[0]
    if rows[kept].rstrip(b"\r\n") == line and rows[kept].endswith(b"\n") and len(marked) == 1:
        return content
    rows[kept] = line + b"\n"
    return b"".join(row for i, row in enumerate(rows) if i == kept or i not in marked)
