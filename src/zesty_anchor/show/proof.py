"""What new shells answered, as a person reads it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

from zesty_anchor.proof.result import HERE, PROGRAMS, Cause, Proof, ShellResult, in_short, starts_of
from zesty_anchor.proof.verified import PROVISION, Drift, Verified
from zesty_anchor.show.columns import columns
from zesty_anchor.show.paint import Paint
from zesty_anchor.show.sizes import count

_MOST_NAMED = 4
_ONE_ROW = 200
"""As long a text is shown in one row, its line ends as \\n."""
_MOST_ROWS = 6


def verified(paint: Paint, seen: Verified, home: str, *, whole: bool = False) -> None:
    """What ``verify`` found: the verdict, each cause once, what was changed, and last what to type. ``whole``
    shows the matrix of all checks. Paths in the ``home`` are shown from ``~`` on.
    """
    _verdict(paint, seen)
    if whole:
        paint.write()
        matrix(paint, seen.proof)
    if not seen.ok or seen.proof.earlier:
        paint.write()
    failures(paint, seen.proof, home, whole=whole)
    earlier(paint, seen.proof)
    told = {check.cause.file for _, check in seen.proof.failures if check.cause is not None}
    _drift(paint, [each for each in seen.drift if each.place not in told])
    _next(paint, seen, whole=whole)


def matrix(paint: Paint, proof: Proof, *, failed: bool = False) -> None:
    """One row a check, one column a shell; a cell counts the ways of starting it, where they do not agree.
    With ``failed`` only the checks that did.
    """
    shells = list(dict.fromkeys(result.shell for result in proof.shells))
    marks = proof.marks
    if failed:
        marks = {name: by_shell for name, by_shell in marks.items() if not all(map(all, by_shell.values()))}
        shells = [s for s in shells if any(not all(by_shell.get(s, [])) for by_shell in marks.values())]
    if not shells:
        return
    heads = [["fails in" if failed else "new shell", *shells]]
    groups = [[result for result in proof.shells if result.shell == name] for name in shells]
    if not failed:
        starts = [f"{max(result.startup_ms for result in group):.0f} ms" for group in groups]
        heads += [["started in", *(count(len(g), "way") for g in groups)], ["up after", *starts]]
    if paint.plain:
        _in_words(paint, marks, failed=failed)
        return
    rows = [[paint.faint(cell) for cell in head] for head in heads]
    for name, by_shell in marks.items():
        rows.append([name, *(_cell(paint, by_shell.get(shell, []), failed) for shell in shells)])
    columns(paint, rows, [26])
    if failed:
        return
    ways: dict[str, list[str]] = {}
    for name, group in zip(shells, groups, strict=True):
        ways.setdefault("; ".join(result.context for result in group if result.context), []).append(name)
    for way, names in ways.items():
        paint.write(paint.faint(f"  {', '.join(names)}: {way}") if way else "")


def _in_words(paint: Paint, marks: Mapping[str, Mapping[str, list[bool]]], *, failed: bool) -> None:
    """A line a check: in which shells it passed, and in which it did not."""
    for name, by_shell in marks.items():
        answers: dict[str, list[str]] = {}
        for shell, found in by_shell.items():
            answers.setdefault(_cell(paint, found, failed), []).append(shell)
        paint.write(f"{name}: " + "; ".join(f"{a} in {', '.join(s)}" for a, s in answers.items() if a))


def _cell(paint: Paint, marks: list[bool], failed: bool) -> str:
    if not marks:
        return ""
    if all(marks):
        return paint.faint("yes") if failed else paint.good("yes")
    return paint.bad("NO" if not any(marks) else f"NO in {marks.count(False)} of {len(marks)}")


def failures(paint: Paint, proof: Proof, home: str = "", *, whole: bool = False) -> None:
    """Each cause once, with the checks that hang on it; what was expected and observed is that of the first
    of them, with ``whole`` in full.
    """
    ways: dict[str, int] = {}
    for each in proof.shells:
        ways[each.shell] = ways.get(each.shell, 0) + (each.context != PROGRAMS)
    for number, (key, found) in enumerate(proof.by_cause.items(), 1):
        check = found[0][1]
        if isinstance(key, Cause):
            place = f"{paint.name(key.place)}: " if key.place else ""
            paint.write(f"{paint.bad(f'cause {number}:')} {place}{key.what}")
            if key.text:
                paint.write(paint.faint(f"             {key.text}"))
        else:
            paint.write(f"{paint.bad(f'cause {number}:')} not found")
        names = list(dict.fromkeys(each.name for _, each in found))
        more = f", and {len(names) - _MOST_NAMED} more" if len(names) > _MOST_NAMED else ""
        paint.write(f"  fails      {'; '.join(names[:_MOST_NAMED])}{more}")
        paint.write(f"  in         {_where([each for each, _ in found], ways)}")
        for word, text in (("expected", check.expected), ("observed", check.observed)):
            first, *rest = _quoted(text, home, whole=whole)
            paint.write(f"  {word}   {first}")
            for row in rest:
                paint.write(f"             {row}")
        if check.fix:
            paint.write(f"  fix        {paint.good(check.fix)}")
        paint.write()


def earlier(paint: Paint, proof: Proof) -> None:
    """What failed before anything was changed here, each once with its cause."""
    found = in_short(proof.earlier)
    if not found:
        return
    paint.write(paint.look("Failed before provisioning as well (no effect on the exit status):"))
    for check, results in found.items():
        place = f"{check.cause.place}: " if check.cause and check.cause.place else ""
        why = check.cause.what if check.cause else check.observed.splitlines()[0]
        paint.write(f"  {check.name!r} fails in {starts_of(results)}")
        paint.write(f"    cause      {paint.name(place)}{why}")
    paint.write(f"  To look for a fix: {paint.name('zesty-anchor verify --fix')}")
    paint.write()


def _quoted(text: str, home: str, *, whole: bool = False) -> list[str]:
    """A text whose blanks at its ends, and line ends, can be seen; a long one in rows, those in the middle
    counted unless ``whole``.
    """
    text = text.replace(f"{home}/", "~/") if home else text
    rows = text.split("\n")
    if len(rows) == 1 or len(text) <= _ONE_ROW:
        shown = "\\n".join(rows)
        return [f"'{shown}'" if shown != shown.strip() or not shown else shown]
    if whole or len(rows) <= _MOST_ROWS:
        return rows
    return [*rows[: _MOST_ROWS - 2], f"… {len(rows) - _MOST_ROWS + 1} more lines (-v shows all)", rows[-1]]


def _where(found: Iterable[ShellResult], ways: dict[str, int]) -> str:
    """The shells; those that fail in some of their ways with these."""
    contexts: dict[str, dict[str, None]] = {}
    for each in found:
        contexts.setdefault(each.shell, {})[each.context] = None
    if (
        len(contexts) > 1
        and all(len(held) >= ways[name] for name, held in contexts.items())
        and len(contexts) == len(ways)
    ):
        return "every new shell"
    told = []
    for name, held in contexts.items():
        told.append(name if len(held) >= ways[name] or not any(held) else f"{name} ({'; '.join(held)})")
    return ", ".join(told)


_TITLES = {"changed": "changed since installation", "pending": "not provisioned yet"}


def _drift(paint: Paint, drift: Sequence[Drift]) -> None:
    for state, title in _TITLES.items():
        found = [each for each in drift if each.state == state]
        if not found:
            continue
        paint.write(paint.look(f"{title}:"))
        for each in found[:_MOST_NAMED]:
            paint.write(f"  {paint.name(each.place)}: {each.what}")
        if len(found) > _MOST_NAMED:
            paint.write(f"  and {len(found) - _MOST_NAMED} more")
        paint.write(f"  fix        {paint.good(found[0].fix)}")
        paint.write()


def _verdict(paint: Paint, seen: Verified) -> None:
    """What it came to, in two lines."""
    proof = seen.proof
    total = sum(len(shell.checks) for shell in proof.shells)
    started = [shell for shell in proof.shells if shell.shell != HERE]
    shells = ", ".join(dict.fromkeys(shell.shell for shell in started))
    apart = len(proof.earlier)
    starts = f"{count(len(started), 'start')} of {shells}" if started else "no shell was started"
    where = f"{starts}, {seen.seconds:.1f} s"
    if seen.ok:
        well = f"All {total - apart} checks passed" if total - apart != 1 else "The check passed"
        before = f"; {count(apart, 'check')} failed before provisioning too" if apart else ""
        paint.write(f"{paint.good(well)} ({where}){before}.")
        paint.write(f"Verified: {', '.join(seen.versions) or 'no version'}; all files unchanged.")
        for note in seen.notes:
            paint.write(f"{paint.look('note:')} {note}")
        return
    parts = []
    if failed := len(proof.failures):
        causes = count(len(proof.by_cause), "cause")
        parts.append(f"{causes}: {failed} of {count(total, 'check')} failed")
    for state, word in (("changed", "changed since installation"), ("pending", "not provisioned yet")):
        if number := sum(each.state == state for each in seen.drift):
            parts.append(f"{count(number, 'thing')} {word}")
    if not parts:
        parts.append('support has ended ([support] ended = "fail")')
    paint.write(f"{paint.bad('; '.join(parts))} ({where}).")
    for note in seen.notes:
        paint.write(f"{paint.look('note:')} {note}")


def _next(paint: Paint, seen: Verified, *, whole: bool) -> None:
    """The one thing to type."""
    fixes = len(seen.fixes) + any(c.fix.startswith(PROVISION) for _, c in seen.proof.failures)
    fixes += any(each.fix.startswith(PROVISION) for each in seen.drift)
    if seen.ok:
        slowest = max(seen.proof.shells, key=lambda each: each.startup_ms, default=None)
        slow = f"Slowest start: {slowest.shell}, {slowest.startup_ms:.0f} ms. " if slowest else ""
        more = "" if whole else "Each check in each shell: zesty-anchor verify -v"
        if slow or more:
            paint.write(paint.faint(f"{slow}{more}".strip()))
    elif not seen.proof.failures and not seen.drift:
        paint.write(f"To see what is newer: {paint.name('zesty-anchor upgrade --list --beyond')}")
    elif fixes:
        paint.write(f"To repair: {paint.name('zesty-anchor verify --fix')}")
    elif not whole:
        paint.write(f"Each check in each shell: {paint.name('zesty-anchor verify -v')}")
