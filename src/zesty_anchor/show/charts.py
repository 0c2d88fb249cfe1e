"""Figures of what starts of shells cost: how the starts spread, and what their lines add up to."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

from zesty_anchor.survey.startup.line_cost import LineCost
from zesty_anchor.survey.startup.shares import fitted, shares
from zesty_anchor.survey.startup.start_cost import ShellCost
from zesty_anchor.system.problem import UsageProblem

_KINDS = (".png", ".svg")
_MOST = 12
_COLOURS = ("#1f6f8b", "#c97b2a", "#7d8a97")


def check_chart(file: Path) -> None:
    """Raises ``UsageProblem`` for a file that is neither .png nor .svg."""
    if file.suffix not in _KINDS:
        raise UsageProblem(
            f"a chart is written as {' or '.join(_KINDS)}, not {file.suffix or 'without an ending'}",
            where=str(file),
        )


def check_matplotlib() -> None:
    """Raises ``UsageProblem`` where it is not installed."""
    try:
        import matplotlib  # noqa: F401
    except ImportError:
        raise UsageProblem(
            "charts need matplotlib, which is not installed", advice="pip install 'zesty-anchor[charts]'"
        ) from None


def timing_chart(file: Path, costs: Sequence[ShellCost], shown: Callable[[str], str]) -> None:
    """Draw both for each shell into a file that ``check_chart`` lets pass. Raises ``OSError``."""
    from matplotlib import rc_context
    from matplotlib.figure import Figure

    with rc_context({"svg.hashsalt": "zesty-anchor", "font.size": 9}):
        figure = Figure(figsize=(12.8, 4 * len(costs)), dpi=100, layout="constrained")
        axes = figure.subplots(len(costs), 2, squeeze=False, width_ratios=(2, 3))
        for (left, right), cost in zip(axes, costs, strict=True):
            _starts(left, cost)
            _waterfall(right, cost, shown)
        figure.savefig(file)


def _starts(axes: Any, cost: ShellCost) -> None:
    """Each start as a dot, a row a home, with the median and its 95 % interval."""
    import random

    scatter = random.Random(0)  # the same picture from the same starts
    longest = max(each for starts in cost.starts for each in (*starts.each, starts.high))
    for row, (starts, colour) in enumerate(zip(cost.starts, _COLOURS, strict=False)):
        heights = [row + scatter.uniform(-0.22, 0.22) for _ in starts.each]
        axes.scatter(starts.each, heights, s=9, color=colour, alpha=0.45, linewidths=0)
        axes.hlines(row, starts.low, starts.high, color="black", linewidth=4)
        axes.vlines(starts.median, row - 0.3, row + 0.3, color="black", linewidth=1.5)
        side = "right" if starts.median > longest / 2 else "left"
        axes.annotate(f" {starts.median:.1f} ms ", (starts.median, row - 0.34), ha=side, va="bottom")
    axes.set_yticks(range(len(cost.starts)), [starts.way for starts in cost.starts])
    axes.set_ylim(len(cost.starts) - 0.4, -0.6)
    axes.set_xlim(left=0)
    axes.set_xlabel("milliseconds until the shell is ready")
    axes.set_title(f"{cost.shell}: each start, the median and its 95 % interval", loc="left")


def _waterfall(axes: Any, cost: ShellCost, shown: Callable[[str], str]) -> None:
    """The shell itself, then what each of the dearest lines adds, the rest of them, and ours."""
    whole, parts = cost.starts[0].median, shares(cost)
    yours = [
        line for line in fitted(cost) if shown(line.file).startswith("~")
    ]  # a start without these has the system's
    dear = [line for line in yours if line.milliseconds >= 0.5][:_MOST]
    rest = sum(line.milliseconds for line in yours) - sum(line.milliseconds for line in dear)
    rows = [("the shell, the system's files", parts.system, _COLOURS[2])]
    rows += [(_words(line, shown), line.milliseconds, _COLOURS[1]) for line in dear]
    rows += [("other lines of yours", rest, _COLOURS[1]), ("zesty-anchor", parts.ours, _COLOURS[0])]
    at = 0.0
    for row, (_, cost_of_it, colour) in enumerate(rows):
        axes.barh(row, cost_of_it, left=at, color=colour, height=0.7)
        at += cost_of_it
        box = {"facecolor": "white", "edgecolor": "none", "pad": 1.0}
        axes.annotate(
            f"{cost_of_it:.1f}", (at, row), (4, 0), textcoords="offset points", va="center", bbox=box
        )
    axes.axvline(whole, color="black", linewidth=0.8, linestyle=":", zorder=0)
    axes.set_yticks(range(len(rows)), [name for name, *_ in rows], parse_math=False)
    axes.set_ylim(len(rows) - 0.4, -0.6)
    axes.set_xlim(0, max(at, whole) * 1.12)
    axes.set_xlabel("milliseconds; the dotted line is a whole start")
    axes.set_title("what it is made of", loc="left")


def _words(line: LineCost, shown: Callable[[str], str]) -> str:
    text = line.text
    return f"{shown(line.file)}:{line.line}  {text[:24]}{'…' if len(text) > 24 else ''}"
