"""Rows in columns."""

from __future__ import annotations

import io
from collections.abc import Sequence
from typing import TYPE_CHECKING

from zesty_anchor.show.paint import Paint

if TYPE_CHECKING:
    from rich.bar import Bar
    from rich.console import Console
    from rich.text import Text

_GAP = 2
_LEAST_LAST = 24
"""Columns of the terminal that the last column of a table must have to be folded: in less it is no easier to
read.
"""
_ENDLESS = 1_000_000
_DEEPER = 4
"""How much deeper further lines of a record begin."""


def fetch_columns() -> None:
    """Fetch what ``columns`` works with, while there is something to wait for: it takes as long as a shell's
    start.
    """
    import rich.ansi
    import rich.console
    import rich.table
    import rich.text  # noqa: F401


def columns(
    paint: Paint,
    rows: Sequence[Sequence[str | Bar]],
    least: Sequence[int] = (),
    indent: int = 2,
    heads: Sequence[str] = (),
) -> None:
    """Write rows below each other in columns, each at least so wide (in columns of the terminal). On a
    terminal the last one is wrapped at words within its column. Where a row does not fit so, each row becomes
    a record: its cells one after the other, each behind the name of its column, on as many lines as they
    need. No word is ever broken, so that a path can be copied. All rows have as many cells as the first one.
    ``heads`` are the names of the columns. In plain text each row is a line of its own, in words.
    """
    if not rows:
        return
    if paint.plain:
        for fact in rows:
            paint.write(_in_words(fact, heads))
        return
    rows = [[paint.faint(head) for head in heads], *rows] if heads else rows
    from rich.ansi import AnsiDecoder
    from rich.cells import cell_len
    from rich.console import Console
    from rich.table import Table
    from rich.text import Text

    console = Console(
        file=io.StringIO(), width=_ENDLESS, force_terminal=paint.on,
        color_system="256" if paint.on else None,
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
    roomy = [max(found, *least[place : place + 1], 0) for place, found in enumerate(wide)]
    if not paint.width or indent + sum(width + _GAP for width in roomy[:-1]) + wide[-1] <= paint.width:
        wide = roomy
    before_last = indent + sum(width + _GAP for width in wide[:-1])
    if paint.width and before_last + wide[-1] > paint.width:
        left = paint.width - before_last
        texts = [cell for row in cells for cell in row if isinstance(cell, Text)]
        words = max(
            (cell_len(word) for row in cells if isinstance(row[-1], Text) for word in row[-1].plain.split()),
            default=0,
        )
        if left < max(_LEAST_LAST, words) and len(texts) == sum(map(len, cells)):
            first = wide[0] if wide[0] <= _LEAST_LAST else 0
            for row in cells[1:] if heads else cells:
                named = [cell for cell in row if isinstance(cell, Text)]
                named[1:] = [
                    decoder.decode_line(paint.shown(paint.faint(f"{head} "))) + cell
                    if head and cell.plain
                    else cell
                    for head, cell in zip([*heads[1:], *[""] * len(row)], named[1:], strict=False)
                ]
                named[0].pad_right(max(0, first - named[0].cell_len))
                _record(paint, console, named, indent)
            return
        wide[-1] = min(wide[-1], max(left, words))
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


def _in_words(row: Sequence[str | Bar], heads: Sequence[str]) -> str:
    """A row as one line: each cell behind the name of its column, or all of them behind the first."""
    named = [
        (heads[place] if place < len(heads) else "", cell.strip())
        for place, cell in enumerate(row)
        if isinstance(cell, str) and cell.strip()
    ]
    if heads:
        return ", ".join(f"{head} {cell}".strip() for head, cell in named)
    first, *rest = [cell for _, cell in named] or [""]
    return f"{first}: {', '.join(rest)}" if rest else first


def _record(paint: Paint, console: Console, cells: Sequence[Text], indent: int) -> None:
    """Write the cells of one row, each on a line of its own where it does not fit beside the one before."""
    from rich.text import Text

    lines = [Text(" " * indent)]
    for cell in cells:
        if not cell.plain:
            continue
        begun = bool(lines[-1].plain.strip())
        if begun and lines[-1].cell_len + _GAP + cell.cell_len > paint.width:
            room = paint.width - indent - _DEEPER
            words = max(map(len, cell.plain.split()), default=0)
            parts = cell.wrap(console, max(room, words)) if cell.cell_len > room else [cell]
            lines += [Text(" " * (indent + _DEEPER)) + part for part in parts]
        else:
            lines[-1] = lines[-1] + Text(" " * _GAP if begun else "") + cell
    with console.capture() as caught:
        for line in lines:
            console.print(line, soft_wrap=True)
    for row in caught.get().splitlines():
        print(row.rstrip(), file=paint.stream)
