"""What shells make for themselves in a home when they are asked there: it is gone afterwards."""

from __future__ import annotations

import os
import threading
from collections.abc import Iterable, Iterator
from contextlib import contextmanager, nullcontext, suppress
from pathlib import Path

from zesty_anchor.files.removal import discard
from zesty_anchor.system.held import hold, left

_NOTE = "shells-at-work-"
_OF_FISH = {"fish_history", "generated_completions"}
_HISTORY_MARK = 2
"""Bytes at the beginning of a history of ksh."""
_OURS = b"zesty-anchor-"


@contextmanager
def unlittered(leaves: Iterable[Path], state: Path) -> Iterator[None]:
    """Remove afterwards what the shells made for themselves, if it was not there before; folders only if
    empty of all but that. While they are at work that is written down in the ``state`` folder, for
    ``clear_litter``.
    """
    absent = [path for path in leaves if not os.path.lexists(path)]
    with _noted(absent, state) if absent and state.is_dir() else nullcontext():
        try:
            yield
        finally:
            for path in _innermost_first(absent):
                _remove_litter(path)


@contextmanager
def _noted(absent: Iterable[Path], state: Path) -> Iterator[None]:
    note = state / f"{_NOTE}{os.getpid()}-{threading.get_ident()}"
    with note.open("w", encoding="utf-8", errors="surrogateescape") as held:
        hold(held.fileno())
        held.write("".join(f"{path}\n" for path in absent))
        held.flush()
        try:
            yield
        finally:
            note.unlink(missing_ok=True)


def make_folders(folders: Iterable[Path]) -> None:
    """Make folders of shells before several of those start at once. Where that cannot be done, they say
    themselves what is wrong.
    """
    for folder in folders:
        with suppress(OSError):
            folder.mkdir(mode=0o700, parents=True, exist_ok=True)


def clear_litter(state: Path) -> None:
    """Do that for shells whose questioner was killed: what holds nothing of a person's goes."""
    for note in state.glob(f"{_NOTE}*"):
        process = note.name.removeprefix(_NOTE).partition("-")[0]
        with left(note, int(process) if process.isdecimal() else 0) as alone:
            if not alone:
                continue
            for path in _innermost_first(map(Path, note.read_text("utf-8", "surrogateescape").splitlines())):
                if not _has_history(path):
                    _remove_litter(path)
            note.unlink()


def _innermost_first(paths: Iterable[Path]) -> list[Path]:
    return sorted(paths, key=lambda path: len(path.parts), reverse=True)


def _remove_litter(path: Path) -> None:
    if path.name == "fish" and path.is_dir() and {p.name for p in path.iterdir()} <= _OF_FISH:
        discard(path)
    elif path.is_dir():
        with suppress(OSError):
            path.rmdir()
    else:
        path.unlink(missing_ok=True)


def _has_history(path: Path) -> bool:
    """Whether a shell has written down there what a person typed: a line that is not the start of our
    questions.
    """
    for file in (path, path / "fish_history"):
        content = file.read_bytes()[_HISTORY_MARK:] if file.is_file() else b""
        if any(line and _OURS not in line for line in content.replace(b"\0", b"").split(b"\n")):
            return True
    return False
