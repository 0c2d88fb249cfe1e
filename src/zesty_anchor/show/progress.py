"""How a run tells what it does: live lines on a terminal, plain lines elsewhere."""

from __future__ import annotations

import threading
import time
from contextlib import suppress
from types import TracebackType
from typing import TYPE_CHECKING, Self

from zesty_anchor.show.paint import Paint
from zesty_anchor.show.sizes import amount, count, fetching, lasted

if TYPE_CHECKING:
    from rich.progress import Progress, TaskID

_SPEAK_AGAIN_SECONDS = 5.0
_STILL_FETCHING_SECONDS = 3.0
"""Where no byte has arrived for so long, nothing is being fetched."""
_BAR = 24
"""Signs of the bar that tells how far the whole run is."""


class Lines:
    """A plain line for each step, and now and then one for a long download."""

    def __init__(self, paint: Paint, *, quiet: bool = False) -> None:
        self._paint = paint
        self._quiet = quiet
        self._spoke: dict[str, float] = {}
        self._names: dict[str, str] = {}
        self._done: dict[str, int] = {}
        self._told: dict[str, float] = {}
        self._lock = threading.Lock()

    def __enter__(self) -> Self:
        """Begin."""
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, at: TracebackType | None
    ) -> None:
        """End."""
        self.over()

    def over(self) -> None:
        """All work is over."""

    def _line(self, text: str) -> None:
        # A terminal that is gone ends nothing.
        if not self._quiet:
            with self._lock, suppress(OSError):
                self._paint.write(text)

    def said(self, text: str) -> None:
        """A plain statement about the run as a whole."""
        self._line(f"  {text}")

    def warned(self, text: str) -> None:
        """Told also when quiet."""
        self._paint.write(self._paint.look(f"  note: {text}"))

    def began(self, key: str, text: str) -> None:
        """Work on a change has begun."""
        self._spoke[key] = time.monotonic()
        self._names[key] = text

    def told(self, key: str, text: str) -> None:
        """Not more often than a person wants to read."""
        now = time.monotonic()
        if now - self._told.get(key, -_SPEAK_AGAIN_SECONDS) >= _SPEAK_AGAIN_SECONDS:
            self._told[key] = now
            self._line(f"  {text}")

    def unattended(self, steps: int, size: int, unknown: int) -> None:
        """All is asked."""
        self._line(f"  no more questions: {count(steps, 'step')}{', ' + fetching(size, unknown)}")

    def ahead(self, steps: int, size: int) -> None:
        """What is left of the run: plain lines tell only what was done."""

    def moved(self, key: str, done: int, total: int | None) -> None:
        """``done`` bytes of ``total`` (None: unknown) have arrived for a change."""
        self._done[key] = done
        now = time.monotonic()
        if now - self._spoke.get(key, now) >= _SPEAK_AGAIN_SECONDS:
            self._spoke[key] = now
            of = f" of {amount(total)}" if total else ""
            self._line(f"  {self._names.get(key, key)}: {amount(done)}{of}")

    def ended(self, key: str, text: str, *, well: bool) -> None:
        """Work on a change has ended, well or not."""
        from zesty_anchor.changes.heading import Heading
        from zesty_anchor.changes.kinds import KINDS

        kind = key.partition(":")[0]
        if well and kind in KINDS and KINDS[kind].heading is Heading.OURS:
            return
        size = f", {amount(self._done[key])}" if self._done.get(key) else ""
        word = self._paint.good("done  ") if well else self._paint.bad("failed")
        self._line(f"  {word}  {text}{self._paint.faint(size)}")


class Live(Lines):
    """Lines, with one below them for each change under way that is kept up to date, and one for the whole of
    the run.
    """

    def __init__(self, paint: Paint, *, quiet: bool = False) -> None:
        super().__init__(paint, quiet=quiet)
        self._live: Progress | None = None
        self._tasks: dict[str, TaskID] = {}
        self._whole: TaskID | None = None
        self._over = 0
        self._size = 0
        self._began = time.monotonic()
        self._arrived_at = 0.0
        self._fetching = 0.0
        """Seconds in which bytes arrived."""

    def _progress(self) -> Progress:
        if self._live is None:
            from rich.console import Console
            from rich.progress import Progress, TextColumn
            from rich.table import Column

            # What is told holds whatever a build prints: it is no markup, and one line.
            self._live = Progress(
                TextColumn(
                    "  {task.fields[head]:7} {task.description}",
                    markup=False,
                    table_column=Column(no_wrap=True),
                ),
                TextColumn(
                    "{task.fields[told]}",
                    style="dim" if (grey := self._paint.palette.faint) is None else f"color({grey})",
                    markup=False,
                    table_column=Column(no_wrap=True, overflow="ellipsis", ratio=1),
                ),
                expand=True,
                console=Console(file=self._paint.stream, no_color=not self._paint.on, highlight=False),
                transient=True,
            )
            self._live.start()
        return self._live

    def over(self) -> None:
        """Take the live lines away."""
        if self._live is not None:
            self._live.stop()

    def _line(self, text: str) -> None:
        if self._live is None or self._quiet:
            super()._line(text)
        else:
            from rich.text import Text

            self._live.console.print(Text.from_ansi(self._paint.shown(text)), soft_wrap=True)

    def told(self, key: str, text: str) -> None:
        """What goes on in a change, in words."""
        self._update(key, text)

    def ahead(self, steps: int, size: int) -> None:
        """What is left of the run, as it is known now."""
        if self._quiet:
            return
        with self._lock:
            self._size = max(self._size, sum(self._done.values()) + size)
            live = self._progress()
            if self._whole is None:
                self._whole = live.add_task("", total=None, head="", told="")
            live.update(self._whole, total=self._over + steps)
        self._tell_whole()

    def moved(self, key: str, done: int, total: int | None) -> None:
        """``done`` bytes of ``total`` (None: unknown) have arrived for a change."""
        now = time.monotonic()
        if now - self._arrived_at < _STILL_FETCHING_SECONDS:
            self._fetching += now - self._arrived_at
        self._arrived_at = now
        self._done[key] = done
        self._update(key, self._far(key, done, total))
        self._tell_whole()

    def _update(self, key: str, text: str) -> None:
        if self._quiet:
            return
        with self._lock:
            live = self._progress()
            if key not in self._tasks:
                name = self._paint.shown(self._names.get(key, key))
                self._tasks[key] = live.add_task(name, total=None, head="now", told="")
            live.update(self._tasks[key], told=self._paint.shown(text))

    def _tell_whole(self) -> None:
        """The line of the whole run: its bar, how many steps are over, the time so far, and while bytes
        arrive how long fetching will take.
        """
        if self._live is None or self._whole is None:
            return
        seconds = time.monotonic() - self._began
        steps = next((task.total for task in self._live.tasks if task.id == self._whole), None) or 1
        filled = round(_BAR * min(1.0, self._over / steps))
        arrived, left = sum(self._done.values()), 0.0
        if arrived and self._fetching > 1 and time.monotonic() - self._arrived_at < _STILL_FETCHING_SECONDS:
            left = (self._size - arrived) * self._fetching / arrived
        told = f"step {min(self._over + 1, int(steps))} of {int(steps)}, {lasted(seconds)}"
        if left >= 1:
            told += f", about {lasted(left)} of fetching left"
        bar = "━" * filled + "╌" * (_BAR - filled)
        self._live.update(self._whole, head="all", description=bar, told=told)

    def _far(self, key: str, done: int, total: int | None) -> str:
        """How far a download is: 73 %, 11.0 MB of 15.0 MB, 3.3 MB a second."""
        seconds = time.monotonic() - self._spoke.get(key, time.monotonic())
        if total and done >= total:
            return f"{amount(total)}, unpacking"
        part = f"{100 * done // total:3} %, {amount(done)} of {amount(total)}" if total else amount(done)
        return f"{part}, {amount(done / seconds)} a second" if seconds > 0.5 else part

    def ended(self, key: str, text: str, *, well: bool) -> None:
        """Work on a change has ended, well or not."""
        self._over += 1
        if self._live is not None and key in self._tasks:
            self._live.remove_task(self._tasks.pop(key))
        super().ended(key, text, well=well)
        self._tell_whole()


def reporter(paint: Paint, *, quiet: bool) -> Lines:
    """Live lines where there is a terminal that can rewrite them, else lines."""
    return (Live if paint.rewrites else Lines)(paint, quiet=quiet)
