"""What a run that was killed left in our own folders, and in those for temporary files: cleared by the next one."""

from __future__ import annotations

import os
from pathlib import Path

from zesty_anchor.files.removal import discard_any
from zesty_anchor.files.replace import left_beside
from zesty_anchor.shells.litter import clear_litter
from zesty_anchor.system.locations import Locations
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


def _entries(folder: Path) -> list[Path]:
    try:
        return list(folder.iterdir())
    except OSError:
        return []
