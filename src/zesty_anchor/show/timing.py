"""What a shell's start costs, as a person reads it."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from zesty_anchor.show.paint import Paint
from zesty_anchor.show.sizes import table
from zesty_anchor.survey.startup.start_cost import LineCost, ShellCost, written_text

_MOST = 10
_WORTH = 1.0
"""Milliseconds that a line must cost to be named."""
_DEAR = 50.0
_BAR = 30


def timing(paint: Paint, found: Sequence[ShellCost], shown: Callable[[str], str], *, whole: bool = False) -> None:
    """For each shell the starts, then the dearest lines, with a bar each, and what can be done about those that are dear."""
    for number, each in enumerate(found):
        if number:
            paint.write()
        _starts(paint, each)
        _lines(paint, each, shown, whole=whole)


def _starts(paint: Paint, cost: ShellCost) -> None:
    as_it_is, without_ours, bare = cost.starts
    paint.write(f"{paint.head(cost.shell)} starts in {paint.head(f'{as_it_is.median:.1f} ms')}")
    ours = max(0.0, as_it_is.median - without_ours.median)
    yours = max(0.0, without_ours.median - bare.median)
    rows = [
        ["the shell itself", f"{bare.median:.1f} ms"],
        ["your startup files", f"{yours:.1f} ms"],
        ["zesty-anchor", f"{ours:.1f} ms"],
    ]
    for line in table(
        [[name, figure, _bar(paint, float(figure.split()[0]), as_it_is.median)] for name, figure in rows], [20, 9]
    ):
        paint.write(f"  {line}")
    wide = (as_it_is.high - as_it_is.low) / 2
    paint.write(
        paint.faint(
            f"  medians of {as_it_is.starts} starts each, by turns; the first is known to ±{wide:.1f} ms (95 %)"
        )
    )


def _lines(paint: Paint, cost: ShellCost, shown: Callable[[str], str], *, whole: bool) -> None:
    dear = [line for line in cost.lines if line.milliseconds >= _WORTH]
    if not dear:
        paint.write(f"No line of yours costs {_WORTH:.0f} ms.")
        return
    paint.write(paint.head("Your dearest lines"))
    most = dear[0].milliseconds
    told = dear if whole else dear[:_MOST]
    rows = [
        [
            paint.name(f"{shown(each.file)}:{each.line}"),
            f"{each.milliseconds:.1f} ms",
            _bar(paint, each.milliseconds, most),
            paint.faint(written_text(each)[:60]),
        ]
        for each in told
    ]
    for line, each in zip(table(rows, [16, 9, _BAR]), told, strict=True):
        paint.write(f"  {line}")
        if each.milliseconds >= _DEAR:
            paint.write(f"      {paint.faint('mend:')} {_mend(each)}")
    if len(dear) > len(told):
        paint.write(paint.faint(f"  and {len(dear) - len(told)} more, with -v"))


def _bar(paint: Paint, part: float, most: float) -> str:
    return paint.good("█" * min(_BAR, max(1 if part > 0 else 0, round(_BAR * part / most)))) if most else ""


def _mend(line: LineCost) -> str:
    """What can be done about a line that takes long."""
    text = written_text(line)
    if "$(" in text or "`" in text or "eval" in text:
        return "keep what the command prints in a file, and source that; make it anew when the program changes"
    return "put it off until it is needed (in a function of that name), or drop it"
