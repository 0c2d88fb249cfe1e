"""What a shell's start costs, as a person reads it."""

from __future__ import annotations

import datetime
from collections.abc import Callable, Iterable, Iterator, Sequence
from typing import TYPE_CHECKING

from zesty_anchor.show.columns import columns
from zesty_anchor.show.paint import Paint
from zesty_anchor.survey.startup.line_cost import DEAR_SECONDS, LineCost, fix_for
from zesty_anchor.survey.startup.past_costs import Timed
from zesty_anchor.survey.startup.shares import fitted, is_noisy, margin, shares
from zesty_anchor.survey.startup.start_cost import ShellCost

if TYPE_CHECKING:
    from rich.bar import Bar

Shown = Callable[[str], str]
"""Tells a path from ``~`` on."""
_MOST = 10
_WORTH = 1.0
"""Milliseconds that a line must cost to be named."""
_BAR = 30
_LONG = 60
"""How much of a line is shown."""


def timing(paint: Paint, found: Timed, shown: Shown, *, whole: bool = False, since: bool = False) -> None:
    """For each shell the starts, then the dearest lines, with a bar each, and what can be done about those
    that are dear. ``whole`` shows every file and line as a tree, ``since`` what has changed.
    """
    for number, each in enumerate(found.shells):
        if number:
            paint.write()
        _starts(paint, each)
        if is_noisy(each):
            paint.write(
                paint.look(f"  too noisy: ±{margin(each.starts[0]):.0f} ms; measure again on a quiet machine")
            )
        elif since:
            _since(paint, each, found, shown)
        elif whole:
            _tree(paint, each, shown)
        else:
            _lines(paint, each, shown)


def _starts(paint: Paint, cost: ShellCost) -> None:
    whole = cost.starts[0]
    paint.write(f"{paint.head(cost.shell)} starts in {paint.head(f'{whole.median:.1f} ms')}")
    if not is_noisy(cost):
        parts = shares(cost)
        listed = [("shell and system", parts.system), ("your startup files", parts.yours)]
        rows: list[list[str | Bar]] = [
            [name, f"{part:.1f} ms", _bar(paint, part, whole.median)]
            for name, part in (*listed, ("zesty-anchor", parts.ours))
        ]
        columns(paint, rows, [20, 9])
    measured = f"medians of {whole.starts} interleaved runs each, ±{margin(whole):.1f} ms (95 % CI)"
    paint.write(paint.faint(f"  {measured}"))


def _lines(paint: Paint, cost: ShellCost, shown: Shown) -> None:
    dear = [line for line in fitted(cost) if line.milliseconds >= _WORTH]
    if not dear:
        paint.write(f"None of your lines takes longer than {_WORTH:.0f} ms.")
        return
    how = "" if cost.exact else ", measured by a trace"
    if fitted(cost) != cost.lines:
        how += ", as parts of your startup files' time (timed one by one they sum to more)"
    paint.write(paint.head("Slowest lines") + paint.faint(how))
    most = dear[0].milliseconds
    told = dear[:_MOST]
    rows: list[list[str | Bar]] = []
    for each in told:
        where, cost_of = paint.name(f"{shown(each.file)}:{each.line}"), f"{each.milliseconds:.1f} ms"
        rows.append([where, cost_of, _bar(paint, each.milliseconds, most), paint.faint(each.text[:_LONG])])
        if each.milliseconds >= DEAR_SECONDS * 1000:
            rows.append(["", "", "", f"{paint.faint('fix:')} {fix_for(each.text)}"])
    columns(paint, rows, [16, 9, _BAR])
    if len(dear) > len(told):
        paint.write(paint.faint(f"  and {len(dear) - len(told)} more, with -v"))


def _tree(paint: Paint, cost: ShellCost, shown: Shown) -> None:
    """Each file with what its lines cost, below the line that read it, and a row for what is ours."""
    rows: list[list[str | Bar]] = [
        [
            f"{'  ' * depth}{paint.name(text) if heading else text}",
            f"{milliseconds:.1f} ms",
            _bar(paint, milliseconds, cost.starts[0].median),
        ]
        for depth, heading, text, milliseconds in tree(fitted(cost), shown)
    ]
    ours = shares(cost).ours  # the trace of our own files is less exact
    name, bar = paint.name("zesty-anchor's own files"), _bar(paint, ours, cost.starts[0].median)
    rows.append([name, f"{ours:.1f} ms", bar])
    columns(paint, rows, [40, 9])


def tree(lines: Sequence[LineCost], shown: Shown) -> list[tuple[int, bool, str, float]]:
    """Rows of a tree: how deep, whether it is a file (else a line), its words, and milliseconds with all
    below it. Pure.
    """
    files: dict[str, list[LineCost]] = {}
    for each in sorted(lines, key=lambda line: line.line):
        files.setdefault(each.file, []).append(each)
    under = {file: found[0].under for file, found in files.items()}

    def whole(file: str, seen: frozenset[str] = frozenset()) -> float:
        read = (
            other
            for other, by in under.items()
            if by.rpartition(":")[0] == file and other not in {*seen, file}
        )
        return sum(line.milliseconds for line in files[file]) + sum(
            whole(other, seen | {file}) for other in read
        )

    def rows(file: str, depth: int, seen: frozenset[str]) -> Iterator[tuple[int, bool, str, float]]:
        yield depth, True, shown(file), whole(file)
        for line in files[file]:
            inner = [
                other for other, by in under.items() if by == f"{file}:{line.line}" and other not in seen
            ]
            if line.milliseconds >= _WORTH or inner:
                yield depth + 1, False, f"{line.line}: {line.text[:_LONG]}", line.milliseconds
                for part in line.parts:
                    if part.milliseconds >= _WORTH:
                        yield depth + 2, False, f"{shown(part.file)}:{part.line}", part.milliseconds
            for other in inner:
                yield from rows(other, depth + 2, seen | {file})

    known = {f"{line.file}:{line.line}" for line in lines}
    tops = [file for file, by in under.items() if by not in known or by.rpartition(":")[0] == file]
    return [row for file in tops for row in rows(file, 0, frozenset({file}))]


def _since(paint: Paint, cost: ShellCost, found: Timed, shown: Shown) -> None:
    """What has changed since the shell was measured last."""
    if cost.shell not in found.before:
        paint.write("No earlier measurement. This one is saved as the baseline.")
        return
    at, before = found.before[cost.shell]
    was, now = before.starts[0], cost.starts[0]
    apart = now.low > was.high or now.high < was.low
    by = abs(now.median - was.median)
    word = (
        f"{by:.1f} ms {'slower' if now.median > was.median else 'faster'}"
        if apart
        else "no significant difference"
    )
    paint.write(
        f"{datetime.datetime.fromtimestamp(at):%Y-%m-%d %H:%M}: {was.median:.1f} ms; now {now.median:.1f}"
        " ms: " + (paint.bad if apart and now.median > was.median else paint.good)(word)
    )
    rows = [
        [
            paint.name(f"{shown(file)}:{line}" if line else shown(file)),
            f"{change:+.1f} ms",
            paint.faint(text[:_LONG]),
        ]
        for file, line, text, change in changed(before.lines, cost.lines)[:_MOST]
    ]
    columns(paint, rows, [16, 9])


def changed(before: Iterable[LineCost], now: Iterable[LineCost]) -> list[tuple[str, int, str, float]]:
    """The lines that cost more or less than before by what is worth telling, by their texts since their
    numbers may have moved: file, line now (0: it is gone), text, and by how many milliseconds; the greatest
    change first. Pure.
    """
    old: dict[tuple[str, str], float] = {}
    for each in before:
        old[each.file, each.text] = old.get((each.file, each.text), 0.0) + each.milliseconds
    rows = []
    for each in now:
        by = each.milliseconds - old.pop((each.file, each.text), 0.0)
        rows.append((each.file, each.line, each.text, by))
    rows += [(file, 0, text, -cost) for (file, text), cost in old.items()]
    return sorted((row for row in rows if abs(row[3]) >= _WORTH), key=lambda row: -abs(row[3]))


def _bar(paint: Paint, part: float, most: float) -> Bar:
    from rich.bar import Bar

    good = paint.palette.good
    return Bar(most, 0, part, width=_BAR, color=good if isinstance(good, str) else f"color({good})")
