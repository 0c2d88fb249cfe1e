"""The home as it would be without what we wrote into startup files."""

from __future__ import annotations

from pathlib import Path

from zesty_anchor.shells.marked import marked_rows
from zesty_anchor.shells.sealed import World
from zesty_anchor.survey.machine import Machine


def without_ours(machine: Machine) -> World:
    """Every startup file without our lines, and without the files that a shell reads by itself."""
    texts = {}
    for file in machine.startup.values():
        if file.content is not None:
            rows = file.content.splitlines(keepends=True)
            ours = marked_rows(rows)
            texts[file.path] = b"".join(row for number, row in enumerate(rows) if number not in ours)
    return World(machine.locations.home, texts=texts, gone=read_alone(machine))


def read_alone(machine: Machine) -> tuple[Path, ...]:
    """The files of ours that shells read without a line in a startup file."""
    return tuple(file.path for file in machine.read_alone if file.content is not None)
