"""What a program that installs itself does to a home: looked at before and after."""

from __future__ import annotations

import os
import stat
import threading
from collections.abc import Iterable
from pathlib import Path

import msgspec

ONE_AT_A_TIME = threading.Lock()
"""Held while a foreign program works in the home: else nobody could tell which of two wrote what."""

_PLACES = (
    b"", b".cache", b".config", b".config/environment.d", b".config/fish", b".config/fish/conf.d",
    b".config/fish/functions", b".local", b".local/bin", b".local/share", b".local/state", b"bin",
)  # fmt: skip
"""The folders of a home whose entries are looked at: below them it is the program's own business."""

_MOST_BYTES = 1 << 20
_CHATTER = (b"history", b".lesshst", b".viminfo", b".Xauthority", b".ICEauthority", b"recently-used")
"""Parts of the names of files that any running program of the person's may write at any time."""


class Seen(msgspec.Struct, frozen=True):
    """What stood there, by path: every entry, where those lead that are links, and the content and mode of
    each small file of settings.
    """

    entries: frozenset[bytes]
    links: dict[bytes, bytes]
    contents: dict[bytes, tuple[bytes, int]]


class Difference(msgspec.Struct, frozen=True):
    """Entries that came, and files whose content changed, or that were links and are no more: with what they
    hold now (None: the file is gone).
    """

    came: tuple[bytes, ...]
    changed: dict[bytes, bytes | None]


class HomeWatch:
    """Looks at one home. ``files`` are looked at wherever they are, ``apart`` and what is below it never."""

    def __init__(self, home: Path, files: Iterable[Path], apart: Iterable[Path]) -> None:
        self._home = os.fsencode(home)
        self._files = tuple(map(os.fsencode, files))
        self._apart = tuple(os.fsencode(folder) + b"/" for folder in apart)

    def look(self) -> Seen:
        """Read the names, and the small files."""
        entries: set[bytes] = set()
        links: dict[bytes, bytes] = {}
        contents: dict[bytes, tuple[bytes, int]] = {}
        found = [path for place in _PLACES for path in self._in(place)]
        for path in dict.fromkeys((*found, *self._files)):
            if not os.path.lexists(path):
                continue
            entries.add(path)
            if os.path.islink(path):
                links[path] = os.readlink(path)
            if path in self._files or self._of_settings(path):
                _read(path, contents)
        return Seen(frozenset(entries), links, contents)

    def _in(self, place: bytes) -> list[bytes]:
        folder = os.path.join(self._home, place) if place else self._home
        try:
            paths = [os.path.join(folder, name) for name in os.listdir(folder)]
        except OSError:
            return []
        return [path for path in paths if not (path + b"/").startswith(self._apart)]

    def _of_settings(self, path: bytes) -> bool:
        folder, name = os.path.split(path)
        return (folder == self._home and name.startswith(b".")) or folder.startswith(self._home + b"/.config")


def difference(before: Seen, after: Seen) -> Difference:
    """What changed between two looks. Of a folder that came, what is in it is not named. Pure."""
    came = sorted(after.entries - before.entries)
    outer = [path for path in came if not any(path.startswith(other + b"/") for other in came)]
    changed: dict[bytes, bytes | None] = {}
    for path, (content, _) in before.contents.items():
        now = after.contents.get(path)
        if path not in after.entries:
            changed[path] = None
        elif now is not None and (now[0] != content or after.links.get(path) != before.links.get(path)):
            changed[path] = now[0]
    return Difference(tuple(outer), changed)


def _read(path: bytes, contents: dict[bytes, tuple[bytes, int]]) -> None:
    if any(part in os.path.basename(path) for part in _CHATTER):
        return
    try:
        state = os.stat(path)
        if stat.S_ISREG(state.st_mode) and state.st_size <= _MOST_BYTES:
            with open(path, "rb") as file:
                contents[path] = file.read(), stat.S_IMODE(state.st_mode)
    except OSError:
        return
