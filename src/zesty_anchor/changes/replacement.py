"""A version on the shelf that gives way to the same one that comes another way: set aside, not lost."""

from __future__ import annotations

import os
from collections.abc import Mapping
from pathlib import Path

from zesty_anchor.files import folders
from zesty_anchor.files.attic import Attic
from zesty_anchor.files.move import finish_move, move

Moves = Mapping[str, str]
"""Where something stands, and where it goes in the attic."""


def replacement(place: Path, attic: Attic) -> dict[str, str]:
    """The moves that clear a place on the shelf: itself, and what it leads to where it is a link."""
    room = attic.room("replaced")
    moves = {str(place): str(room / "place")}
    if place.is_symlink():
        moves[os.path.realpath(place)] = str(room / "target")
    return moves


def set_aside(moves: Moves) -> None:
    """Make them."""
    for source, kept in moves.items():
        if os.path.lexists(source) and not os.path.lexists(kept):
            move(Path(source), Path(kept))


def set_aside_is_done(moves: Moves) -> bool:
    """Whether what stands in the place now is the new one."""
    return all(os.path.lexists(kept) for kept in moves.values())


def bring_back(moves: Moves) -> None:
    """Take them back, as far as they were made."""
    for source, kept in reversed(list(moves.items())):
        finish_move(Path(source), Path(kept))
        if os.path.lexists(kept):
            folders.make(Path(source).parent)
            move(Path(kept), Path(source))
    folders.remove_empty({str(Path(kept).parent) for kept in moves.values()})
