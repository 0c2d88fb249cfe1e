"""Which homes share a cache that is outside of them: it goes with the last one."""

from __future__ import annotations

import os
from contextlib import suppress
from pathlib import Path

from zesty_anchor.files import own_folders
from zesty_anchor.files.replace import replace
from zesty_anchor.system.locations import Locations

_FOLDER, _FILE = "homes", "list"


def note(locations: Locations) -> None:
    """Write this home down in its cache, where that is outside of it."""
    if locations.cache.is_relative_to(locations.home):
        return
    homes = _noted(locations.cache)
    if locations.home not in homes:
        own_folders.make(locations.cache / _FOLDER)
        _write(locations.cache, [*homes, locations.home])


def others(locations: Locations) -> list[Path]:
    """The other homes that were written down there, and are there yet."""
    return [home for home in _noted(locations.cache) if home != locations.home and home.is_dir()]


def follow(locations: Locations, old: Path, *, stays: bool) -> None:
    """Write this home down in place of the ``old`` one, or beside it where that ``stays``."""
    homes = _noted(locations.cache)
    if homes:
        _write(locations.cache, [*(home for home in homes if stays or home != old), locations.home])


def leave(locations: Locations) -> None:
    """Take this home out of it."""
    homes = _noted(locations.cache)
    rest = [home for home in homes if home != locations.home]
    if rest:
        _write(locations.cache, rest)
    elif homes:
        own_folders.remove(locations.cache / _FOLDER)


def _noted(cache: Path) -> list[Path]:
    with suppress(OSError):
        return [Path(os.fsdecode(row)) for row in (cache / _FOLDER / _FILE).read_bytes().split(b"\0") if row]
    return []


def _write(cache: Path, homes: list[Path]) -> None:
    replace(cache / _FOLDER / _FILE, b"\0".join(os.fsencode(home) for home in homes), 0o600)
