"""Which home a journal belongs to, and how the home that it is met in differs from that one."""

from __future__ import annotations

import os
import sqlite3
from contextlib import closing
from enum import Enum
from pathlib import Path

import msgspec

from zesty_anchor.system.locations import Locations
from zesty_anchor.system.problem import UsageProblem

_MACHINE_ID = Path("/etc/machine-id")
Place = tuple[int, int]
"""The device and the inode of a folder (stat(2)); (0, 0) where it is not known."""
_UNKNOWN: Place = (0, 0)


class HomeIdentity(msgspec.Struct, frozen=True, omit_defaults=True):
    """The home of a journal. ``journal`` is a random name of the journal itself. ``home``, ``state``,
    ``data``, ``cache`` and ``config`` are whole paths, those of our folders without links; ``home_at`` and
    ``state_at`` identify those two folders by device and inode. ``user`` is a number, ``machine`` a digest of
    the machine's id and the journal's name (machine-id(5) asks not to hand the id itself around).

    ``copied_from`` are the homes that this one was copied from: nothing of theirs is ever touched.
    ``plain_runs`` is the last run whose notes in root's store do not bear the journal's name: programs before
    0.2 wrote those.
    """

    home: str
    journal: str = ""
    home_at: Place = _UNKNOWN
    state_at: Place = _UNKNOWN
    state: str = ""
    data: str = ""
    cache: str = ""
    config: str = ""
    user: int = -1
    machine: str = ""
    copied_from: tuple[str, ...] = ()
    plain_runs: int = 0


class Meeting(Enum):
    """How the home that a journal is found in relates to the one that it belongs to."""

    SAME = "same"
    MOVED = "moved"
    """The old place no longer exists, or is another home now."""
    COPIED = "copied"
    """The old place is still there, with the same journal in it."""
    BROUGHT = "brought"
    """It was moved here from another machine."""
    NOT_ITS_OWN = "not its own"
    """Our folders are outside of the home, and are those of another home that is still there."""


def identity_of(locations: Locations, journal: str = "") -> HomeIdentity:
    """Return the identity of this home, for a journal of this name (empty: a new one is made up)."""
    journal = journal or os.urandom(8).hex()
    return HomeIdentity(
        home=str(locations.home),
        journal=journal,
        home_at=_place(locations.home),
        state_at=_place(locations.state),
        state=os.path.realpath(locations.state),
        data=os.path.realpath(locations.data),
        cache=os.path.realpath(locations.cache),
        config=os.path.realpath(locations.config),
        user=os.geteuid(),
        machine=_machine(journal),
    )


def meet(known: HomeIdentity, locations: Locations) -> Meeting:
    """Return how this home relates to the one that a journal belongs to. Changes nothing."""
    here = str(locations.home)
    if known.home == here or _same_folder(known.home, here):
        return Meeting.SAME
    elsewhere = bool(known.machine) and known.machine != _machine(known.journal)
    there = os.path.lexists(known.home)
    if (
        there
        and not elsewhere
        and _place(locations.state) == known.state_at
        and _is_outside(locations.state, locations)
    ):
        return Meeting.NOT_ITS_OWN
    if there and _still_has(known, locations):
        shared = ((locations.data, known.data), (locations.config, known.config))
        if any(os.path.realpath(folder) == was and _is_outside(folder, locations) for folder, was in shared):
            return Meeting.NOT_ITS_OWN
        return Meeting.COPIED
    return Meeting.BROUGHT if elsewhere else Meeting.MOVED


def moved_from(known: HomeIdentity | None, locations: Locations) -> str:
    """Return where the home of a journal was, if it was moved or copied since; empty if it was not."""
    return known.home if known is not None and meet(known, locations) is not Meeting.SAME else ""


def check_its_own(known: HomeIdentity | None, locations: Locations) -> None:
    """Raises ``UsageProblem`` where our folders are those of another home that is still there."""
    if known is None or meet(known, locations) is not Meeting.NOT_ITS_OWN:
        return
    for variable, folder, was in (
        ("XDG_STATE_HOME", locations.state, known.state),
        ("XDG_DATA_HOME", locations.data, known.data),
        ("XDG_CONFIG_HOME", locations.config, known.config),
    ):
        if os.path.realpath(folder) == was and _is_outside(folder, locations):
            raise UsageProblem(
                f"{folder} belongs to the home {known.home}, and this home is {locations.home}",
                where=str(folder),
                advice=(
                    f"set {variable} to a folder for this home, or use HOME={known.home}; nothing was changed"
                ),
            )


def _is_outside(folder: Path, locations: Locations) -> bool:
    """Whether a folder of ours is outside of the home, by a variable or by a link."""
    return not Path(os.path.realpath(folder)).is_relative_to(os.path.realpath(locations.home))


def _still_has(known: HomeIdentity, locations: Locations) -> bool:
    """Whether the old home holds this very journal still; true as well where we have no permission to
    look.
    """
    state = known.state or known.home + str(locations.state)[len(str(locations.home)) :]
    file = Path(state) / locations.journal.name
    if file == Path(os.path.realpath(locations.journal)):
        return False  # it was moved along
    try:
        file.lstat()
    except (FileNotFoundError, NotADirectoryError):
        return False
    except OSError:
        return True
    return not known.journal or _journal_in(file) in (known.journal, "")


def _journal_in(file: Path) -> str:
    """The name of the journal in a file; empty where it does not say."""
    try:
        from urllib.parse import quote

        with closing(sqlite3.connect(f"file:{quote(str(file))}?mode=ro", uri=True, timeout=1)) as base:
            row = base.execute("SELECT identity FROM home").fetchone()
        return msgspec.json.decode(row[0], type=HomeIdentity).journal if row else ""
    except (sqlite3.Error, msgspec.MsgspecError):
        return ""


def _place(folder: Path) -> Place:
    try:
        state = folder.stat()
    except OSError:
        return _UNKNOWN
    return state.st_dev, state.st_ino


def _same_folder(one: str, other: str) -> bool:
    try:
        return os.path.samefile(one, other)
    except OSError:
        return False


def _machine(journal: str) -> str:
    """Empty where the machine has no id."""
    try:
        own = _MACHINE_ID.read_bytes().strip()
    except OSError:
        return ""
    import hashlib  # only where a journal is noted, or met elsewhere

    return hashlib.sha256(own + journal.encode()).hexdigest()[:32] if own else ""
