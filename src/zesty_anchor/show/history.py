"""Runs that are over, as a person reads them."""

from __future__ import annotations

import datetime
from collections import Counter
from collections.abc import Callable, Sequence

from zesty_anchor.changes.heading import Heading
from zesty_anchor.changes.kinds import KINDS
from zesty_anchor.engine.past_runs import PastRun
from zesty_anchor.show.columns import columns
from zesty_anchor.show.paint import Paint
from zesty_anchor.show.sizes import count, lasted

Shown = Callable[[str], str]
"""Tells a path from ``~`` on."""
_LONG = 0.05
"""Seconds that are worth telling."""
_MOST = 3


def runs(paint: Paint, found: Sequence[PastRun], shown: Shown) -> None:
    """A line a run: when, how long it took, what was verified, whether it was undone, and what it did."""
    if not found:
        paint.write("There are no runs yet.")
        return
    rows = [
        [
            str(each.run),
            _when(each.began),
            lasted(each.ended - each.began),
            paint.look("undone") if each.undone else each.verified or "-",
            _what(each),
        ]
        for each in found
    ]
    columns(paint, rows, [3], heads=("run", "when", "took", "verified", "what"))
    paint.write(paint.faint("  details: zesty-anchor history RUN; to undo one: zesty-anchor undo --run RUN"))


def run(paint: Paint, found: PastRun, shown: Shown) -> None:
    """One run, with each of its changes."""
    digest = f" (SHA-256 {found.digest[:12]}…)" if found.digest else ""
    rows = [
        ["began", _when(found.began)],
        ["took", lasted(found.ended - found.began)],
        ["manifest", shown(found.manifest) + digest],
        ["verified", found.verified or "no"],
        ["undone", "yes" if found.undone else "no"],
        ["log", shown(found.log) if found.log else "deleted (only the newest are kept)"],
    ]
    paint.write(paint.head(f"run {found.run}"))
    columns(paint, [[paint.faint(head), what] for head, what in rows], [10])
    paint.write()
    if found.differences:
        paint.write(paint.head("changes against the run before"))
        for line in found.differences:
            paint.write(f"  {line}")
        paint.write()
    told = [
        [
            each.action,
            paint.name(each.subject),
            lasted(each.seconds) if each.seconds >= _LONG else "",
            "" if each.state == "done" or found.undone else each.state,
        ]
        for each in found.changes
    ]
    columns(paint, told, [8])
    for title, texts in (
        ("still in the attic", [shown(was) for was in found.attic]),
        ("notes", found.notices),
    ):
        if texts:
            paint.write()
            paint.write(paint.head(title))
            for text in texts:
                paint.write(f"  {text}")


def _what(run: PastRun) -> str:
    """What it brought to the person by name, then what it did else; of startup files and of ours only how
    many. What failed is none of it. By name, since versions are installed side by side, and the journal has
    them as they began.
    """
    done = [each for each in run.changes if each.state == "done" or run.undone]
    told = [each for each in done if KINDS[each.kind].heading not in (Heading.OURS, Heading.STARTUP)]
    named = sorted(each.subject for each in told if each.action == "install")
    named += [f"{each.action} {each.subject}" for each in told if each.action != "install"]
    files = Counter(KINDS[each.kind].heading for each in done)
    if run.run > 1 and run.differences:
        named = list(run.differences)
        files.clear()
    parts = [*named[:_MOST], *([f"{len(named) - _MOST} more"] if len(named) > _MOST else [])]
    if files[Heading.STARTUP]:
        parts.append(count(files[Heading.STARTUP], "startup file"))
    return ", ".join(parts) or f"{count(files[Heading.OURS], 'file')} of ours"


def _when(moment: float) -> str:
    return f"{datetime.datetime.fromtimestamp(moment):%Y-%m-%d %H:%M:%S}"
