"""Rows in columns."""

from __future__ import annotations

import io
from collections.abc import Sequence
from typing import TYPE_CHECKING

from zesty_anchor.show.paint import Paint

if TYPE_CHECKING:
    from rich.bar import Bar

_GAP = 2
_LEAST_LAST = 24
"""Columns of the terminal that the last column of a table must have to be folded: in less it is no easier to
read.
"""
_ENDLESS = 1_000_000


def fetch_columns() -> None:
    """Fetch what ``columns`` works with, while there is something to wait for: it takes as long as a shell's
    start.
    """
    import rich.ansi
    import rich.console
    import rich.table  # noqa: F401


def columns(
    paint: Paint, rows: Sequence[Sequence[str | Bar]], least: Sequence[int] = (), indent: int = 2
) -> None:
    """Write rows below each other in columns, each at least so wide (in columns of the terminal). On a
    terminal the last one is folded within its column; the others never are, so that a path can be copied. All
    rows have as many cells as the first one.
    """
    if not rows:
        return
    from rich.ansi import AnsiDecoder
    from rich.console import Console
    from rich.table import Table

    console = Console(
        file=io.StringIO(), width=_ENDLESS, force_terminal=paint.on,
        color_system="standard" if paint.on else None,
        highlight=False, markup=False, emoji=False, legacy_windows=False, _environ={},
    )  # fmt: skip
    decoder = AnsiDecoder()
    # What a cell holds is made harmless before it is folded: an address with a password in it is known as
    # such only whole.
    cells = [
        [decoder.decode_line(paint.shown(cell)) if isinstance(cell, str) else cell for cell in row]
        for row in rows
    ]
    wide = [max(console.measure(row[place]).maximum for row in cells) for place in range(len(cells[0]))]
    wide = [max(found, *least[place : place + 1], 0) for place, found in enumerate(wide)]
    before_last = indent + sum(width + _GAP for width in wide[:-1])
    if paint.width and paint.width >= before_last + _LEAST_LAST:
        wide[-1] = min(wide[-1], paint.width - before_last)
    # All widths are known, so that none has to be found again.
    grid = Table.grid(padding=(0, _GAP, 0, 0))
    for place, width in enumerate(wide, 1):
        last = place == len(wide)
        grid.add_column(width=width, no_wrap=not last, overflow="fold" if last else "ellipsis")
    for row in cells:
        grid.add_row(*row)
    with console.capture() as caught:
        console.print(grid)
    for line in caught.get().splitlines():
        print((" " * indent + line).rstrip(), file=paint.stream)
