"""Links to default versions, whose paths stay right after an upgrade: for the settings of an editor."""

from __future__ import annotations

import os
from collections.abc import Iterable, Iterator, Mapping
from contextlib import suppress
from pathlib import Path
from typing import TYPE_CHECKING, Any

from zesty_anchor.files.folders import remove_empty

if TYPE_CHECKING:
    from zesty_anchor.manifest.model import Setting


def refers(settings: Iterable[Setting], runtime: str) -> bool:
    """Whether a value of these settings names the link of a runtime, as ``{kelp.stable}``. Pure."""
    name = f"{{{runtime}.stable}}"
    return any(name in text for setting in settings for text in texts(setting.value))


def texts(value: Any) -> Iterator[str]:
    """Every text in a value of a setting. Pure."""
    if isinstance(value, str):
        yield value
    elif isinstance(value, list | dict):
        for each in value if isinstance(value, list) else value.values():
            yield from texts(each)


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


def keep_in_step(folder: Path, shelf: Path, defaults: Mapping[str, str], named: Iterable[str] = ()) -> None:
    """Have each link that is there, and those of the runtimes ``named``, lead to the default version of its
    runtime; one without any goes.
    """
    there = [entry.name for entry in folder.iterdir() if entry.is_symlink()] if folder.is_dir() else []
    for runtime in dict.fromkeys((*there, *named)):
        version = defaults.get(runtime, "")
        if version and (shelf / runtime / version).is_dir():
            point(folder, shelf, runtime, version)
        else:
            with suppress(OSError):
                (folder / runtime).unlink()
    remove_empty([str(folder)])
