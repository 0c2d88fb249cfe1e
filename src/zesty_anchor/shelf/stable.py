"""Links to default versions, whose paths stay right after an upgrade: for the settings of an editor."""

from __future__ import annotations

import os
from collections.abc import Mapping
from contextlib import suppress
from pathlib import Path

from zesty_anchor.files.folders import remove_empty


def point(folder: Path, shelf: Path, runtime: str, version: str) -> Path:
    """Make the link of a runtime lead to a version on the shelf (one rename(2), relative, so that a moved
    home keeps it). Returns the link.
    """
    folder.mkdir(mode=0o755, exist_ok=True)
    link, target = folder / runtime, os.path.relpath(shelf / runtime / version, folder)
    if not link.is_symlink() or os.readlink(link) != target:
        beside = folder / f".{runtime}.new"
        beside.unlink(missing_ok=True)
        beside.symlink_to(target)
        beside.rename(link)
    return link


def keep_in_step(folder: Path, shelf: Path, defaults: Mapping[str, str]) -> None:
    """Have each link that is there lead to the default version of its runtime; one without any goes."""
    try:
        links = [entry for entry in folder.iterdir() if entry.is_symlink()]
    except OSError:
        return
    for link in links:
        version = defaults.get(link.name, "")
        if version and (shelf / link.name / version).is_dir():
            point(folder, shelf, link.name, version)
        else:
            with suppress(OSError):
                link.unlink()
    remove_empty([str(folder)])
