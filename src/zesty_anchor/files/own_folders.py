"""Folders of our own that come and go apart from the journal: its own, and that of the feeds' answers.

Each notes in itself which folders around it had to be made for it, so that those go with it, and no others.
"""

from __future__ import annotations

import os
from pathlib import Path

import msgspec

from zesty_anchor.files.folders import remove_empty
from zesty_anchor.files.removal import discard, set_aside
from zesty_anchor.files.replace import beside_name
from zesty_anchor.system.held import hold
from zesty_anchor.system.mounts import check_kept

_NOTE = ".made-for-this"


def make(folder: Path) -> None:
    """Make a folder that only its owner may read. One that is there is no error. Raises ``UsageProblem`` where its disk keeps
    no permissions.
    """
    if folder.is_dir():
        return
    check_kept(folder)
    made = [str(f) for f in (folder, *folder.parents) if not f.exists()]
    folder.parent.mkdir(parents=True, exist_ok=True)
    folder.mkdir(mode=0o700, exist_ok=True)
    (folder / _NOTE).write_bytes(msgspec.json.encode(made))


def remove(*folders: Path) -> None:
    """Remove folders with all in them, and those that were made for them as far as they are empty.

    Each is renamed first: whoever makes it anew meanwhile loses nothing.
    """
    made: set[str] = set()
    for folder in folders:
        try:
            made |= set(msgspec.json.decode((folder / _NOTE).read_bytes(), type=list[str]))
        except (OSError, msgspec.MsgspecError):
            pass
        if folder.is_dir() and not folder.is_symlink():
            handle = os.open(folder, os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC)
            try:
                hold(handle)
                discard(set_aside(folder, beside_name(folder)))
            finally:
                os.close(handle)
        else:
            discard(folder)
    remove_empty(made)
    left = {folder for folder in made if Path(folder).is_dir()}
    if left:
        _hand_over(left, folders)


def _hand_over(left: set[str], gone: tuple[Path, ...]) -> None:
    """What was made for a folder that is gone, and holds another one of ours yet, is noted in that one: it goes with the last."""
    for note in sorted({note for folder in gone for note in folder.parent.glob(f"*/{_NOTE}")}):
        made = set(msgspec.json.decode(note.read_bytes(), type=list[str]))
        note.write_bytes(msgspec.json.encode(sorted(made | left, reverse=True)))
        return
