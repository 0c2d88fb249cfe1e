"""Newer versions in the feeds, and those that were found last."""

from __future__ import annotations

from collections.abc import Iterable
from contextlib import suppress
from pathlib import Path

import msgspec

from zesty_anchor.files.replace import replace

_NAME = "newer.json"


class Newer(msgspec.Struct, frozen=True):
    """The version that a want of the manifest is resolved to (``version``, empty: not installed), and
    what is newer in its feed: the newest that matches the want, and the newest ``beyond`` it (empty:
    none). ``ends`` is the last day of support of ``version`` (YYYY-MM-DD, empty: not known), ``problem``
    why no feed could be asked, ``feed`` the feed with the newer version. ``withdrawn`` is why ``version``
    was withdrawn (empty: it was not), ``fixes`` tells that the newer one, or one on the way to it, fixes a
    weakness. ``size`` is that of the newer one's download, in bytes (None: not known). ``digests``
    are the one that was installed and the one that the feed states now, where it has changed.
    """

    runtime: str
    want: str
    version: str
    newer: str = ""
    beyond: str = ""
    ends: str = ""
    problem: str = ""
    feed: str = ""
    withdrawn: str = ""
    fixes: bool = False
    size: int | None = None
    digests: tuple[str, str] | None = None


class Affected(msgspec.Struct, frozen=True):
    """What uses a version that moves: pins of projects, by file and line, and packages installed by hand."""

    runtime: str
    version: str
    pins: tuple[str, ...]
    packages: tuple[str, ...]


class Beyond(msgspec.Struct, frozen=True):
    """A version that another want would give: ``line`` is to be written for ``want``, at ``place``."""

    runtime: str
    want: str
    version: str
    line: str
    place: str


class LastAnswer(msgspec.Struct, frozen=True):
    """What feeds answered last, and when (seconds since 1970)."""

    at: float
    newer: tuple[Newer, ...]


def keep(state: Path, answer: LastAnswer) -> None:
    """Keep an answer in place of the one before; ``state`` is the folder of the journal. A home in which
    nothing was provisioned keeps none, and neither does one that cannot be written.
    """
    if state.is_dir():
        with suppress(OSError):
            replace(state / _NAME, msgspec.json.encode(answer), 0o600, lasting=False)


def last_answer(state: Path) -> LastAnswer | None:
    """The one that is kept; None where none is, or it cannot be read."""
    try:
        return msgspec.json.decode((state / _NAME).read_bytes(), type=LastAnswer)
    except (OSError, msgspec.MsgspecError):
        return None


def still_true(answer: LastAnswer, installed: Iterable[str]) -> tuple[Newer, ...]:
    """The rows of versions that are still installed (``installed``: RUNTIME VERSION), where the newer one is
    not. Pure.
    """
    here = set(installed)
    return tuple(
        row
        for row in answer.newer
        if f"{row.runtime} {row.version}" in here and f"{row.runtime} {row.newer}" not in here
    )


def wider(want: str, version: str) -> str:
    """The want to write for a version that another want does not admit: as many numbers as that one has, else
    its first one. Pure.
    """
    numbers = version.split("-")[0].split(".")
    width = len(want.split(".")) if want[:1].isdigit() else 1
    return ".".join(numbers[:width])
