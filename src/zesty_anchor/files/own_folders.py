"""Folders of our own that come and go apart from the journal: its own, and that of the feeds' answers.

Each notes in itself which folders around it had to be made for it, so that those go with it, and no others.
"""

from __future__ import annotations

import os
import re
from collections.abc import Iterable
from contextlib import suppress
from pathlib import Path

import msgspec

from zesty_anchor.files.folders import remove_empty
from zesty_anchor.files.home_move import HomeMove
from zesty_anchor.files.removal import discard, discard_any, set_aside
from zesty_anchor.files.replace import beside_name
from zesty_anchor.system.held import hold
from zesty_anchor.system.locations import FOLDER
from zesty_anchor.system.mounts import check_kept
from zesty_anchor.system.ownership import owner_name

_NOTE = ".made-for-this"


def make(folder: Path) -> None:
    """Make a folder that only its owner may read. One that is there is no error. Raises ``UsageProblem``
    where its disk keeps no permissions.
    """
    if folder.is_dir():
        return
    check_kept(folder)
    made = [str(f) for f in (folder, *folder.parents) if not f.exists()]
    folder.parent.mkdir(parents=True, exist_ok=True)
    folder.mkdir(mode=0o700, exist_ok=True)
    (folder / _NOTE).write_bytes(msgspec.json.encode(made))


def remove(*folders: Path) -> list[str]:
    """Remove folders with all in them, and those that were made for them as far as they are empty.

    Each is renamed first: a process that creates it again meanwhile loses nothing. A person's own link to a
    folder elsewhere is followed: what of ours is behind it goes, and the link. A link, or a folder, of
    another user is left alone. Returns what a person should know.
    """
    made: set[str] = set()
    told: list[str] = []
    gone: list[Path] = []
    for folder in folders:
        if os.path.lexists(folder) and (owner := folder.lstat().st_uid) != os.geteuid():
            told.append(f"{folder} belongs to {owner_name(owner)}: left in place")
            continue
        gone.append(folder)
        try:
            made |= set(msgspec.json.decode((folder / _NOTE).read_bytes(), type=list[str]))
        except (OSError, msgspec.MsgspecError):
            pass
        if folder.is_symlink():
            told += _remove_behind(folder)
        elif folder.is_dir():
            handle = os.open(folder, os.O_RDONLY | os.O_DIRECTORY | os.O_NOFOLLOW | os.O_CLOEXEC)
            try:
                hold(handle)
                discard(set_aside(folder, beside_name(folder)))
            finally:
                os.close(handle)
    remove_empty(made)
    left = {folder for folder in made if Path(folder).is_dir()}
    if left:
        _hand_over(left, tuple(gone))
    return told


def _remove_behind(link: Path) -> list[str]:
    """Remove what of ours a link leads to, and the link; the folder behind it where nothing else is in it."""
    behind = Path(os.path.realpath(link))
    told = []
    if behind.is_dir():
        if (owner := behind.stat().st_uid) != os.geteuid():
            return [f"{behind}, where {link} leads, belongs to {owner_name(owner)}: left in place"]
        for entry in list(behind.iterdir()):
            if is_ours(entry.name):
                discard_any(entry)
        try:
            behind.rmdir()
        except OSError:
            if any(behind.iterdir()):
                told = [f"{behind}, where {link} led, also contains files that are not ours: left in place"]
    link.unlink()
    return told


_OURS = (
    r"shelf|staging|shell|bin|current|downloads|builds|answers|pins|packages|homes|attic|logs|charts|recipes"
    r"|lock|greeting|journal\.db.*|(agreed|proved|proof|timing|newer|program)\.json|projects\.jsonl|shells-at-work-.*|\.made-for-this|\..+\.zesty-anchor-[0-9.]+"
)
"""The names of what is ours in our folders: behind a person's link there may be other things too."""


def is_ours(name: str) -> bool:
    """Whether a file or folder of this name, in one of our folders, is ours. Pure."""
    return re.fullmatch(_OURS, name) is not None


def follow(folders: Iterable[Path], move: HomeMove) -> None:
    """Have the notes in these folders name a home where it is now."""
    for note in (folder / _NOTE for folder in folders):
        with suppress(OSError, msgspec.MsgspecError):
            made = msgspec.json.decode(note.read_bytes(), type=list[str])
            note.write_bytes(msgspec.json.encode([move.path(each) for each in made]))


def _hand_over(left: set[str], gone: tuple[Path, ...]) -> None:
    """What was made for a folder that is gone, and holds another one of ours yet, is noted in that one: it
    goes with the last.
    """
    for note in sorted({note for folder in gone for note in folder.parent.glob(f"*/{_NOTE}")}):
        made = set(msgspec.json.decode(note.read_bytes(), type=list[str]))
        note.write_bytes(msgspec.json.encode(sorted(made | left, reverse=True)))
        return
    # A folder of ours around them that holds something else, or is a link now, is removed later.
    for above in {folder.parent for folder in gone}:
        if above.name == FOLDER and above.is_dir():
            (above / _NOTE).write_bytes(msgspec.json.encode(sorted(left - {str(above)}, reverse=True)))
