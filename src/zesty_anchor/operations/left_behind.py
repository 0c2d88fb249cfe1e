"""Removes what is ours and in no record: left by a run that was killed, or in a file that was renamed
since.
"""

from __future__ import annotations

import os
from pathlib import Path

from zesty_anchor.changes.shells.startup_block import with_block
from zesty_anchor.files.attic import Attic
from zesty_anchor.files.edit import Edit
from zesty_anchor.files.removal import discard_any
from zesty_anchor.files.replace import content_of, left_beside
from zesty_anchor.shells.known import generated
from zesty_anchor.shells.litter import clear_litter
from zesty_anchor.shells.posix import WRITTEN
from zesty_anchor.survey.machine import Machine, generated_file
from zesty_anchor.system.locations import Locations
from zesty_anchor.system.problem import Problem
from zesty_anchor.system.room import clear_left


def sweep(locations: Locations) -> None:
    """Clear it. Nobody else may be at work in this home.

    What is unpacked, built or taken off the shelf stands in our own staging folder, and what is written
    beside a file of ours bears the number of a process that has ended. Nothing else is touched.
    """
    clear_left()
    clear_litter(locations.state)
    for room in _entries(locations.staging):
        discard_any(room)
    ours = (
        locations.shell,
        locations.launchers,
        locations.state,
        locations.config,
        locations.data,
        locations.builds,
    )
    for folder in ours:
        for path, _ in left_beside(folder):
            path.unlink(missing_ok=True)
    for own in (locations.data, locations.state, locations.cache):
        for path, name in left_beside(own.parent):
            if name == own.name and path.is_dir() and not path.is_symlink():
                discard_any(path)
    for top in (locations.pins, locations.answers):
        for root, _, _ in os.walk(top):
            for path, _ in left_beside(Path(root)):
                path.unlink(missing_ok=True)


def remove_rest(machine: Machine, attic: Attic) -> tuple[str, ...]:
    """Remove what is left of ours after everything was undone: our lines in any startup file of today,
    whichever file they were added to, and generated files, which go to the attic. Returns what to report.
    """
    shown, told = machine.locations.shown, []
    done: set[Path] = set()
    for path, file in machine.startup.items():
        after = with_block(file.content, None)
        if file.target in done or after == file.content:
            continue
        done.add(file.target)
        if not file.target.is_relative_to(os.path.realpath(machine.locations.home)):
            told.append(
                f"{shown(path)} leads to {file.target}, outside this home: our line there is left in place"
            )
            continue
        edit = Edit(file, after or None)
        try:
            edit.check_writable()
            edit.carry_out()
        except Problem as problem:
            told.append(f"our line was not removed from {shown(path)}: {problem.what}; {problem.advice}")
            continue
        told.append(f"our line was removed from {shown(path)}, which no run had edited")
    for path in (generated_file(machine.locations, name) for name in generated()):
        content = None if path.is_symlink() else content_of(path) if path.is_file() else None
        if content is not None and content.startswith(WRITTEN.encode()):
            told.append(
                f"{shown(path)} is from a run that is not in the journal; it is kept in"
                f" {shown(attic.away(path))}"
            )
    return tuple(told)


def _entries(folder: Path) -> list[Path]:
    try:
        return list(folder.iterdir())
    except OSError:
        return []
