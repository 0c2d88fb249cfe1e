"""A start of a shell in which all that it brings can be found again, and where that start ends up."""

from __future__ import annotations

import os
import time
from collections.abc import Collection, Iterator, Mapping, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec

from zesty_anchor.shells.pty import under_pty
from zesty_anchor.shells.reading import ASKED
from zesty_anchor.system.process import end_marked, marked, processes

if TYPE_CHECKING:
    from zesty_anchor.shells.landing import Landing
    from zesty_anchor.shells.terminal import Terminal

PRIVATE = ("TMUX_TMPDIR", "SCREENDIR")
"""Variables that give a start a folder of its own for what serves terminals: none of the person's is joined
(tmux(1), screen(1)).
"""
_COLUMNS = 70
"""zsh asks a user who has no startup files of its own about them, but not on a screen as narrow as this."""
_SETTLED_SECONDS = 0.5
"""How long another program is at the terminal before it counts as what a start ends up in."""
_ASKING_SECONDS = 2.0
"""How long a start may wait for somebody to type."""


class MarkedStart(msgspec.Struct, frozen=True):
    """A shell that was started: its terminal, the ``room`` that its command line names and its environment
    holds as ASKED, and the processes that were there before.
    """

    child: Terminal
    room: str
    others: frozenset[int]

    @property
    def session(self) -> int:
        """The number of the shell's process, and of its session (setsid(2))."""
        return self.child.pid or 0

    @property
    def spared(self) -> frozenset[int]:
        """What must not be ended: what was there before, and the shell itself."""
        return self.others | {self.session}

    def processes(self, spared: Collection[int] = ()) -> list[int]:
        """All that this start has brought, without those ``spared``."""
        return marked(self._mark, self.session, spared)

    def end(self, spared: Collection[int]) -> None:
        """End those."""
        end_marked(self._mark, self.session, spared)

    @property
    def _mark(self) -> bytes:
        return f"{ASKED}={self.room}".encode()


@contextmanager
def marked_start(
    words: Sequence[str],
    environment: Mapping[str, str],
    folder: Path,
    room: Path,
    *,
    seconds: float,
    channels: Mapping[int, Path] | None = None,
) -> Iterator[MarkedStart]:
    """Start a shell under a pty, see ``under_pty``. What a startup file, or what the shell was asked, left
    at work was started for this shell alone: it is ended with it.
    """
    marks = {**environment, **dict.fromkeys(PRIVATE, str(room)), ASKED: str(room)}
    others = processes()
    with under_pty(words, marks, folder, seconds=seconds, columns=_COLUMNS, channels=channels) as child:
        start = MarkedStart(child, str(room), others)
        try:
            yield start
        finally:
            start.end(start.spared)


class Watch:
    """Looks where an interactive start has ended up."""

    def __init__(self, start: MarkedStart) -> None:
        self._start = start
        self._began = self._since = time.perf_counter()
        self._seen = (0, False)
        self.found: Landing | None = None
        """The shell that the start ended up in, where it is not the one that was started."""
        self.asks = False
        """Whether the start waits for somebody to type."""

    def look(self) -> bool:
        """Look, and return whether the start has ended up somewhere. Another program in the foreground for a
        moment is none.
        """
        from zesty_anchor.shells.landing import asks, foreground, landing

        now, start = time.perf_counter(), self._start
        if now - self._began < _SETTLED_SECONDS:  # most starts are over by then
            return False
        other = foreground(start.child.child_fd, start.room)
        asking = not other and asks(start.session, os.uname().machine)
        if (other, asking) != self._seen:
            self._seen, self._since = (other, asking), now
        if other and now - self._since >= _SETTLED_SECONDS:
            self.found = landing(other, start.processes())
        self.asks = asking and now - self._since >= _ASKING_SECONDS
        return self.found is not None or self.asks
