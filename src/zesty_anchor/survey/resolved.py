"""What command names resolve to in a new shell that reads our files, and which of them resolve to something
else after a run.
"""

from __future__ import annotations

import os
import re
import shlex
from collections.abc import Iterator, Mapping
from contextlib import suppress
from pathlib import Path

from zesty_anchor.system.host import login_path
from zesty_anchor.system.locations import Locations

_FRONT = re.compile(r"^  za__front=('.*') za__mode=first$", re.MULTILINE)
_MOST = 5
"""How many names of one folder are shown."""


def resolved(locations: Locations) -> dict[str, str]:
    """Return what each name in our folders on PATH, and of the system's in turn, resolves to: the first file
    of that name. The launchers do not count, since each runs one of these.
    """
    found: dict[str, str] = {}
    folders = [folder for folder in _front(locations) if folder != str(locations.launchers)]
    for folder in (*folders, *login_path().split(":")):
        with suppress(OSError):
            for entry in os.scandir(folder or "/nowhere"):
                if entry.name not in found and entry.is_file() and os.access(entry.path, os.X_OK):
                    found[entry.name] = entry.path
    return found


def _front(locations: Locations) -> list[str]:
    """The folders that the file of sh puts first on PATH; none where there is no such file."""
    try:
        text = (locations.shell / "environment.sh").read_text("utf-8", "surrogateescape")
    except OSError:
        return []
    front = _FRONT.search(text)
    return shlex.split(front[1])[0].split(":") if front else []


def describe_changes(
    before: Mapping[str, str], now: Mapping[str, str], locations: Locations
) -> Iterator[str]:
    """Return in words which names resolve to something else than before; new names are left out. Those that
    went from one folder to another are reported together.
    """
    moves: dict[tuple[str, str], list[str]] = {}
    for name in sorted(before):
        if name in now and now[name] != before[name]:
            moves.setdefault((os.path.dirname(before[name]), os.path.dirname(now[name])), []).append(name)
    for (old, new), names in moves.items():
        more = f" and {len(names) - _MOST} more" if len(names) > _MOST else ""
        verb = "resolves" if len(names) == 1 else "resolve"
        yield (
            f"{', '.join(names[:_MOST])}{more} now {verb} to {locations.shown(Path(new))} (before:"
            f" {locations.shown(Path(old))})"
        )
