"""A version that is damaged, and what of it stays when it is put right."""

from __future__ import annotations

import os
import shutil
from collections.abc import Mapping, Sequence
from pathlib import Path

from zesty_anchor.changes.bench import Bench
from zesty_anchor.files.inventory import Difference, strangers
from zesty_anchor.shelf.receipt import files_in, is_made

_MOST_NAMED = 3


def told_damage(damage: Sequence[Difference]) -> str:
    """What is the matter, in a few words: the first of the entries by name. Pure."""
    named = [f"{each.name} {each.what}" if each.name else f"it {each.what}" for each in damage[:_MOST_NAMED]]
    more = len(damage) - _MOST_NAMED
    return "; ".join(named) + (f"; and {more} more" if more > 0 else "")


def carried_over(old: Path, new: Path, subject: str, kept: Mapping[str, str], bench: Bench) -> str:
    """Copy into the new folder what a person had put into the old one; returns a sentence of what was
    done.
    """
    files = files_in(old)
    came = (
        [path for path in strangers(old, files, ours=is_made) if _name(path, old) not in files]
        if files
        else []
    )
    for path in came:
        target = new / path.relative_to(old)
        if os.path.lexists(target) or not target.parent.is_dir():
            continue
        if path.is_dir() and not path.is_symlink():
            shutil.copytree(path, target, symlinks=True)
        else:
            shutil.copy2(path, target, follow_symlinks=False)
    stays = f", with the {len(came)} files and folders that were put into it" if came else ""
    return (
        f"{subject} is as it was put there again{stays}; what stood there is kept in"
        f" {bench.locations.shown(kept[str(old)])}"
    )


def _name(path: Path, folder: Path) -> str:
    return os.fsencode(path.relative_to(folder)).decode("utf-8", "backslashreplace")
