"""What a provisioning would change, as a person reads it: what they get, and what of theirs is touched."""

from __future__ import annotations

from collections.abc import Iterable

from zesty_anchor.changes.heading import Heading
from zesty_anchor.changes.kinds import KINDS
from zesty_anchor.engine.outcome import ChangeReport
from zesty_anchor.planning.plan import Plan
from zesty_anchor.shells.reading import MARK
from zesty_anchor.show.changes import notices
from zesty_anchor.show.columns import columns
from zesty_anchor.show.paint import Paint
from zesty_anchor.show.sizes import count, fetching


def preview(
    paint: Paint, seen: Plan, manifest: str, home: str, *, whole: bool = False, there: str = ""
) -> None:
    """What would change. Of generated files, and of our line in a startup file, only how many there are;
    ``whole`` shows each of them. Paths in the ``home`` are shown from ``~`` on. ``there`` is the other
    machine that is looked at (empty: this one).
    """
    if not seen.changes:
        paint.write(f"{paint.good('Nothing to do')}: this machine matches {manifest}.")
    else:
        size = fetching(seen.ahead.size, seen.ahead.unknown)
        number = paint.head(count(len(seen.changes), "change"))
        if there:
            paint.write(f"{number}, {size}, on an empty machine that is {paint.name(there)}.")
        else:
            paint.write(f"{number} pending, {size}; nothing is changed yet.")
        paint.write()
    if seen.differences:
        paint.write(paint.head("Changes against the last run"))
        for line in seen.differences:
            paint.write(f"  {line}")
        paint.write()
    reports = seen.reports
    for heading in Heading:
        changes = [change for change in reports if KINDS[change.kind].heading is heading]
        if not changes:
            continue
        if heading is Heading.OURS and not whole:
            _own(paint, changes, seen, home)
        else:
            paint.write(paint.head(heading.title))
            _group(paint, changes, whole=whole)
        paint.write()
    notices(paint, seen.notices)
    if seen.commands:
        paint.write(paint.head("Commands that would run with privilege"))
        for command in seen.commands:
            paint.write(f"  {command}")
        paint.write()
    if seen.questions:
        paint.write(paint.head("Questions before the first change"))
        for question in seen.questions:
            paint.write(f"  {paint.look(question.text)}")
            paint.write(paint.faint(f"    to answer it for good: {question.key}"))
        paint.write()
    if seen.changes:
        ours = any(KINDS[change.kind].heading is Heading.OURS for change in reports)
        if there:
            return
        if ours and not whole:
            paint.write(paint.faint("Every line of every file: zesty-anchor preview -v"))
        paint.write(f"To apply: {paint.name('zesty-anchor provision')}")


def _own(paint: Paint, group: list[ChangeReport], seen: Plan, home: str) -> None:
    """What our own files are for."""
    wanted = seen.wanted
    paint.write(
        paint.head(Heading.OURS.title) + f"  {count(len(group), 'file')}, for {', '.join(wanted.shells)}"
    )
    commands = sorted({command for version in wanted.defaults for command in version.recipe.commands})
    folders = [each.replace(f"{home}/", "~/") for each in (*wanted.path_first, *wanted.path_last)]
    rows = [
        ("commands", ", ".join(commands)),
        ("variables", ", ".join(name for name, _ in wanted.by_default)),
        ("on PATH", ", ".join(folders)),
        ("not found by", _unreached(seen)),
    ]
    columns(paint, [[name, paint.faint(_short(what))] for name, what in rows if what], [18])


def _unreached(seen: Plan) -> str:
    """Where the commands are not found, and which command tells what to write there."""
    first = next((command for version in seen.wanted.defaults for command in version.recipe.commands), "")
    if not seen.unreached or not first:
        return ""
    return f"{', '.join(seen.unreached)} (what to write there: zesty-anchor trace {first})"


def _short(text: str, most: int = 120) -> str:
    return text if len(text) <= most else text[: most - 1] + "…"


def _group(paint: Paint, group: list[ChangeReport], *, whole: bool) -> None:
    flat = [change for change in group if "\n" not in change.detail]
    columns(paint, [[paint.name(c.subject), paint.faint(c.detail)] for c in flat], [18])
    lined: dict[str, list[str]] = {}
    for change in group:
        if "\n" not in change.detail:
            continue
        rows = change.detail.splitlines()[2:]
        if not whole and _only_our_line(rows):
            lined.setdefault(change.action, []).append(change.subject)
            continue
        paint.write(f"  {change.action} {paint.name(change.subject)}")
        for row in rows:
            paint.write("    " + _diff_row(paint, row))
    words = {
        "create": "created with one line",
        "edit": "one line added (sources our file)",
    }
    for action, subjects in lined.items():
        paint.write(f"  {paint.name(', '.join(subjects))}: {words.get(action, action)}")


def _only_our_line(rows: Iterable[str]) -> bool:
    """Whether a diff does nothing but add lines of ours."""
    changed = [row for row in rows if row[:1] in ("+", "-")]
    return bool(changed) and all(row.startswith("+") and row.endswith(MARK) for row in changed)


def _diff_row(paint: Paint, row: str) -> str:
    if row.startswith("+"):
        return paint.good(row)
    if row.startswith("-"):
        return paint.bad(row)
    return paint.faint(row)
