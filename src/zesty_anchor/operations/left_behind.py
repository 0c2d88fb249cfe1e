"""What is left of ours where no change tells of it: by a run that was killed, or where a file was renamed since."""

from __future__ import annotations

import os
from pathlib import Path

from zesty_anchor.changes.shells.startup_block import with_block
from zesty_anchor.files.attic import Attic
from zesty_anchor.files.edit import Edit
from zesty_anchor.files.removal import discard_any
from zesty_anchor.files.replace import content_of, left_beside
from zesty_anchor.shells.known import GENERATED
from zesty_anchor.shells.litter import clear_litter
from zesty_anchor.shells.posix import WRITTEN
from zesty_anchor.survey.machine import Machine, generated_file
from zesty_anchor.system.locations import Locations
from zesty_anchor.system.problem import Problem
from zesty_anchor.system.room import clear_left


def sweep(locations: Locations) -> None:
    """Clear it. Nobody else may be at work in this home.

    What is unpacked, built or taken off the shelf stands in our own staging folder, and what is written beside a file of ours
    bears the number of a process that has ended. Nothing else is touched.
    """
    clear_left()
    clear_litter(locations.state)
    for room in _entries(locations.staging):
        discard_any(room)
    ours = (locations.shell, locations.launchers, locations.state, locations.config, locations.data, locations.builds)
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


def take_out_rest(machine: Machine, attic: Attic) -> tuple[str, ...]:
    """Take out what stands of ours after all was taken back: our lines in any startup file of today, whichever it was that got
    them, and generated files, which go to the attic. Returns what a person should know.
    """
    shown, told = machine.locations.shown, []
    done: set[Path] = set()
    for path, file in machine.startup.items():
        after = with_block(file.content, None)
        if file.target in done or after == file.content:
            continue
        done.add(file.target)
        if not file.target.is_relative_to(os.path.realpath(machine.locations.home)):
            told.append(f"our line is in {file.target}, outside of this home, where {shown(path)} leads: it stays")
            continue
        edit = Edit(file, after or None)
        try:
            edit.check_writable()
            edit.carry_out()
        except Problem as problem:
            told.append(f"our line stays in {shown(path)}: {problem.what}; {problem.advice}")
            continue
        told.append(f"our line was in {shown(path)}, where no run had put it, and is taken out")
    for path in (generated_file(machine.locations, name) for name in GENERATED):
        content = None if path.is_symlink() else content_of(path) if path.is_file() else None
        if content is not None and content.startswith(WRITTEN.encode()):
            told.append(
                f"{shown(path)} is of a run that the journal does not know; it is kept in {shown(attic.away(path))}"
            )
    return tuple(told)


def _entries(folder: Path) -> list[Path]:
    try:
        return list(folder.iterdir())
    except OSError:
        return []
