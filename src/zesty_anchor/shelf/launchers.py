"""The folder of the launchers, kept in step with the commands that the shelf gives."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable, Mapping
from pathlib import Path

from zesty_anchor.files.folders import remove_empty
from zesty_anchor.files.replace import replace


def commands(shelf: Path, runtimes: Iterable[tuple[str, tuple[str, ...]]]) -> dict[str, str]:
    """Every command of every version on the shelf, and its runtime: the first one that gives it.

    ``runtimes`` are names, each with the folders of commands below a version's folder.
    """
    found: dict[str, str] = {}
    for runtime, bins in runtimes:
        for version in _folders(shelf / runtime):
            for part in bins:
                for name in _executables(version / part):
                    found.setdefault(name, runtime)
    return found


def standing(folder: Path) -> dict[str, str]:
    """The launchers that are there, by name, with their text; that of one that may not be run says so at its
    end.
    """
    try:
        entries = [entry for entry in os.scandir(folder) if entry.is_file(follow_symlinks=False)]
    except (FileNotFoundError, NotADirectoryError):
        return {}
    found = {}
    for entry in entries:
        closed = "" if entry.stat().st_mode & 0o111 == 0o111 else _CLOSED
        found[entry.name] = Path(entry.path).read_text("utf-8", "replace") + closed
    return found


_CLOSED = "# this file may not be run\n"


Ours = Callable[[str, str], bool]
"""Whether a file of that name and text is a launcher that we wrote."""


def keep_in_step(folder: Path, texts: Mapping[str, str], ours: Ours) -> list[str]:
    """Make the folder hold these launchers, by name, and no others; without any it goes.

    What is not ours stays as it is. Returns the names of launchers that are not there because something else
    has their place.
    """
    there = standing(folder)
    if texts:
        folder.mkdir(parents=True, exist_ok=True)
    for name in there.keys() - texts.keys():
        if ours(name, there[name]):
            (folder / name).unlink(missing_ok=True)
    taken = []
    for name, text in texts.items():
        if there.get(name) == text:
            continue
        if name in there and not ours(name, there[name]):
            taken.append(name)
        else:
            replace(folder / name, text.encode(), 0o755, lasting=False)
    if not texts:
        remove_empty([str(folder)])
    return taken


def _folders(runtime: Path) -> list[Path]:
    try:
        return sorted((Path(entry.path) for entry in os.scandir(runtime) if entry.is_dir()), reverse=True)
    except FileNotFoundError:
        return []


def _executables(folder: Path) -> list[str]:
    try:
        entries = list(os.scandir(folder))
    except (FileNotFoundError, NotADirectoryError):
        return []
    return sorted(
        e.name for e in entries if not e.name.startswith(".") and e.is_file() and os.access(e.path, os.X_OK)
    )
