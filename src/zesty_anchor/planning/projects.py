"""Folders that pin versions: those that were seen, and what each of them pins."""

from __future__ import annotations

import os
import time
from collections.abc import Iterable, Iterator, Sequence
from contextlib import suppress
from pathlib import Path

import msgspec

from zesty_anchor.files.home_move import HomeMove
from zesty_anchor.files.removal import discard_any
from zesty_anchor.files.replace import replace
from zesty_anchor.manifest.pin import names
from zesty_anchor.planning.choices import Chooser
from zesty_anchor.planning.workstation import Workstation

_NAME = "projects.jsonl"
_OFTEN = 3600.0
"""Seconds within which a folder is not noted again."""
_MOST_BYTES = 256 << 10
"""A longer record is written anew, with each folder once."""


class ProjectPin(msgspec.Struct, frozen=True):
    """One pin: its ``file`` with the line, what it asks for, and the installed ``version`` that it means
    (empty: none is installed). ``newer`` is a newer version that it admits (empty: none, or no feed was
    asked), ``wrong`` says what is wrong with the pin. A ``requirement`` is that of another format.
    """

    runtime: str
    want: str
    file: str
    version: str = ""
    newer: str = ""
    wrong: str = ""
    requirement: bool = False


class Project(msgspec.Struct, frozen=True):
    """A folder with pins, and when one of them decided last (seconds since 1970). ``there`` tells whether
    the folder exists.
    """

    folder: str
    seen_at: float
    there: bool
    pins: tuple[ProjectPin, ...]


class _Seen(msgspec.Struct, frozen=True):
    folder: str
    at: float


def note(state: Path, folders: Iterable[Path]) -> None:
    """Add folders to the record in the folder of the journal, with the time. Several shells may do so at
    once: each adds whole lines (write(2) with O_APPEND). One that cannot be written is left as it is.
    """
    known, now = seen(state), time.time()
    new = {str(each) for each in folders if now - known.get(str(each), 0.0) > _OFTEN}
    if not new or not state.is_dir():
        return
    lines = b"".join(_line(folder, now) for folder in sorted(new) if _is_text(folder))
    file = state / _NAME
    with suppress(OSError):
        if file.exists() and file.stat().st_size > _MOST_BYTES:
            replace(file, b"".join(_line(*each) for each in known.items()) + lines, 0o600, lasting=False)
            return
        handle = os.open(file, os.O_WRONLY | os.O_APPEND | os.O_CREAT | os.O_NOFOLLOW | os.O_CLOEXEC, 0o600)
        try:
            os.write(handle, lines)
        finally:
            os.close(handle)


def seen(state: Path) -> dict[str, float]:
    """The folders of the record, each with the last time; a line that cannot be read is passed over."""
    try:
        content = (state / _NAME).read_bytes()
    except OSError:
        return {}
    found: dict[str, float] = {}
    for line in content.splitlines():
        with suppress(msgspec.MsgspecError):
            each = msgspec.json.decode(line, type=_Seen)
            found[each.folder] = each.at
    return found


def forget(state: Path, folders: Iterable[str] | None = None) -> None:
    """Take folders out of the record; None: all of them."""
    if folders is None:
        discard_any(state / _NAME)
    elif gone := set(folders):
        kept = {folder: at for folder, at in seen(state).items() if folder not in gone}
        replace(state / _NAME, b"".join(_line(*each) for each in kept.items()), 0o600, lasting=False)


def follow(state: Path, move: HomeMove) -> None:
    """Have the record name the folders where they are, after the home was moved or copied."""
    if known := seen(state):
        content = b"".join(_line(move.path(folder), at) for folder, at in known.items())
        replace(state / _NAME, content, 0o600, lasting=False)


def projects(workstation: Workstation, choosing: Chooser) -> list[Project]:
    """The folders of the record that pin something, or do not exist, the latest first."""
    found = []
    for folder, at in seen(workstation.locations.state).items():
        there = os.path.isdir(folder)
        pins = tuple(_pins(workstation, choosing, Path(folder))) if there else ()
        if pins or not there:
            found.append(Project(workstation.locations.shown(folder), at, there, pins))
    return sorted(found, key=lambda each: each.seen_at, reverse=True)


def pinning(found: Sequence[Project], runtime: str, version: str) -> list[ProjectPin]:
    """The pins of these projects that mean a version. Pure."""
    return [pin for each in found for pin in each.pins if (pin.runtime, pin.version) == (runtime, version)]


def _pins(workstation: Workstation, choosing: Chooser, folder: Path) -> Iterator[ProjectPin]:
    """What the files in one folder pin; of one runtime the first that counts."""
    done: set[str] = set()
    for name in names(workstation.recipes):
        file = folder / name
        if not file.is_file():
            continue
        for pin in choosing.read(file):
            if pin.runtime in done or pin.runtime not in workstation.recipes:
                continue
            done.add(pin.runtime)
            place = f"{workstation.locations.shown(file)}:{pin.line}"
            version = "" if pin.wrong else choosing.version(pin) or ""
            yield ProjectPin(
                pin.runtime, pin.want, place, version, "", pin.wrong, pin.requirement is not None
            )


def _line(folder: str, at: float) -> bytes:
    return msgspec.json.encode(_Seen(folder, at)) + b"\n"


def _is_text(folder: str) -> bool:
    """Whether a path is UTF-8: the record holds no other."""
    try:
        folder.encode()
    except UnicodeEncodeError:
        return False
    return True
