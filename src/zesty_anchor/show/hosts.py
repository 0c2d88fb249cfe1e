"""The machines of ``across`` while it works: a table that is kept up to date."""

from __future__ import annotations

import time
from typing import TYPE_CHECKING

from zesty_anchor.show.paint import Paint
from zesty_anchor.show.progress import Lines
from zesty_anchor.show.sizes import lasted

if TYPE_CHECKING:
    from rich.live import Live
    from rich.table import Table
    from rich.text import Text

_LEFT = 6
"""Lines of the terminal that the table leaves free."""


class Hosts(Lines):
    """A row for each machine at work: its name, its state, the step and the time. Where they are more than
    lines, those that ended are counted.
    """

    def __init__(self, paint: Paint, *, quiet: bool = False) -> None:
        super().__init__(paint, quiet=quiet)
        self._live: Live | None = None
        self._rows: dict[str, tuple[str, str, float, float]] = {}
        """The state, the step, when it began and when it ended (0: not yet), by the machine."""

    def began(self, key: str, text: str) -> None:
        """Work on a machine has begun."""
        with self._lock:
            self._rows[key] = ("running", text.partition(": ")[2], time.monotonic(), 0.0)
            if self._live is None and not self._quiet:
                from rich.console import Console
                from rich.live import Live

                console = Console(file=self._paint.stream, no_color=not self._paint.on, highlight=False)
                self._live = Live(get_renderable=self._table, console=console, transient=True)
                self._live.start()

    def told(self, key: str, text: str) -> None:
        """The step that a machine is at."""
        with self._lock:
            if key in self._rows:
                state, _, began, ended = self._rows[key]
                step = self._paint.shown(text.partition(": ")[2] or text)
                self._rows[key] = (state, step, began, ended)

    def ended(self, key: str, text: str, *, well: bool) -> None:
        """A machine is done. Where none is at work, the table goes: something may be asked now."""
        with self._lock:
            _, step, began, _ = self._rows.get(key, ("", "", time.monotonic(), 0.0))
            self._rows[key] = ("ok" if well else "failed", "" if well else step, began, time.monotonic())
            if all(ended for _, _, _, ended in self._rows.values()):
                self._stop()

    def over(self) -> None:
        """Take the table away."""
        self._stop()

    def _stop(self) -> None:
        if self._live is not None:
            self._live.stop()
            self._live = None

    def _table(self) -> Table:
        from rich.table import Table
        from rich.text import Text

        table = Table(box=None, padding=(0, 2, 0, 0), expand=True)
        for head in ("  host", "state", "time"):
            table.add_column(head, no_wrap=True, header_style="bold")
        table.add_column("step", no_wrap=True, overflow="ellipsis", ratio=1, header_style="bold")
        now = time.monotonic()
        rows = sorted(self._rows.items(), key=lambda row: bool(row[1][3]))
        room = max(3, (self._live.console.height if self._live else 24) - _LEFT)
        for host, (state, step, began, ended) in rows[:room]:
            words = (Text(f"  {host}"), self._state(state), lasted((ended or now) - began), Text(step))
            table.add_row(*words)
        if len(rows) > room:
            rest = [state for _, (state, *_) in rows[room:]]
            counted = ", ".join(f"{rest.count(state)} {state}" for state in dict.fromkeys(rest))
            table.add_row(f"  and {len(rest)} more", "", "", counted)
        return table

    def _state(self, state: str) -> Text:
        from rich.text import Text

        paint = {"ok": self._paint.good, "failed": self._paint.bad}.get(state, str)
        return Text.from_ansi(self._paint.shown(paint(state)))


def reporter(paint: Paint, *, quiet: bool) -> Lines:
    """A table where there is a terminal that can rewrite it, else lines."""
    return (Hosts if paint.rewrites else Lines)(paint, quiet=quiet)
