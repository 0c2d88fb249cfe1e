"""What fresh shells answered, as a person reads it."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from zesty_anchor.proof.result import PROGRAMS, Cause, Proof, ShellResult, in_short, starts_of
from zesty_anchor.proof.verified import Drift, Verified
from zesty_anchor.show.columns import columns
from zesty_anchor.show.paint import Paint
from zesty_anchor.show.sizes import count

_MOST_NAMED = 4
_ONE_ROW = 200
"""As long a text is shown in one row, its line ends as \\n."""
_MOST_ROWS = 6


def verified(paint: Paint, seen: Verified, home: str, *, whole: bool = False) -> None:
    """What ``verify`` found: three lines where all is well, else what failed, and below each cause once.
    ``whole`` shows the matrix of everything that was asked. Paths in the ``home`` are told from ``~`` on.
    """
    if whole:
        matrix(paint, seen.proof)
        paint.write()
    elif seen.proof.failures:
        matrix(paint, seen.proof, failed=True)
        paint.write()
    failures(paint, seen.proof, home)
    earlier(paint, seen.proof)
    told = {check.cause.file for _, check in seen.proof.failures if check.cause is not None}
    _drift(paint, [each for each in seen.drift if each.place not in told])
    _verdict(paint, seen)


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
    heads = [["fails in" if failed else "fresh shell", *shells]]
    groups = [[result for result in proof.shells if result.shell == name] for name in shells]
    if not failed:
        starts = [f"{max(result.startup_ms for result in group):.0f} ms" for group in groups]
        heads += [["started in", *(count(len(g), "way") for g in groups)], ["up after", *starts]]
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


def _cell(paint: Paint, marks: list[bool], failed: bool) -> str:
    if not marks:
        return ""
    if all(marks):
        return paint.faint("yes") if failed else paint.good("yes")
    return paint.bad("NO" if not any(marks) else f"NO in {marks.count(False)} of {len(marks)}")


def failures(paint: Paint, proof: Proof, home: str = "") -> None:
    """Each cause once, with the checks that hang on it; what was expected and observed is that of the first
    of them.
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
        paint.write(f"  breaks     {'; '.join(names[:_MOST_NAMED])}{more}")
        paint.write(f"  in         {_where([each for each, _ in found], ways)}")
        for word, text in (("expected", check.expected), ("observed", check.observed)):
            first, *rest = _quoted(text, home)
            paint.write(f"  {word}   {first}")
            for row in rest:
                paint.write(f"             {row}")
        if check.fix:
            paint.write(f"  fix       {paint.good(check.fix)}")
        paint.write()


def earlier(paint: Paint, proof: Proof) -> None:
    """What failed before anything was changed here, each once with its cause."""
    found = in_short(proof.earlier)
    if not found:
        return
    paint.write(paint.look("already so before provisioning; this changes no exit status:"))
    for check, results in found.items():
        place = f"{check.cause.place}: " if check.cause and check.cause.place else ""
        why = check.cause.what if check.cause else check.observed.splitlines()[0]
        paint.write(f"  {check.name!r} fails in {starts_of(results)}")
        paint.write(f"    cause      {paint.name(place)}{why}")
        if check.fix:
            paint.write(f"    fix       {paint.good(check.fix)}")
    paint.write()


def _quoted(text: str, home: str) -> list[str]:
    """A text whose blanks at its ends, and line ends, can be seen; a long one in rows, those in the middle
    counted.
    """
    text = text.replace(f"{home}/", "~/") if home else text
    rows = text.split("\n")
    if len(rows) == 1 or len(text) <= _ONE_ROW:
        shown = "\\n".join(rows)
        return [f"'{shown}'" if shown != shown.strip() or not shown else shown]
    if len(rows) <= _MOST_ROWS:
        return rows
    return [*rows[: _MOST_ROWS - 2], f"… {len(rows) - _MOST_ROWS + 1} more lines", rows[-1]]


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
        return "every fresh shell"
    told = []
    for name, held in contexts.items():
        told.append(name if len(held) >= ways[name] or not any(held) else f"{name} ({'; '.join(held)})")
    return ", ".join(told)


_TITLES = {"changed": "not as it was written", "pending": "asked for, and not provisioned yet"}


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
        paint.write(f"  fix       {paint.good(found[0].fix)}")
        paint.write()


def _verdict(paint: Paint, seen: Verified) -> None:
    proof = seen.proof
    total = sum(len(shell.checks) for shell in proof.shells)
    shells = list(dict.fromkeys(shell.shell for shell in proof.shells))
    starts = count(len(proof.shells), "start")
    if seen.ok:
        apart = len(proof.earlier)
        well = f"{paint.good('All well:')} {count(total - apart, 'check')} in {starts} of {', '.join(shells)}"
        paint.write(
            f"{well}; {count(apart, 'check')} failed before provisioning too." if apart else f"{well}."
        )
        paint.write(f"Proved: {', '.join(seen.versions) or 'no version'}; each file is as it was put there.")
        slowest = max(proof.shells, key=lambda each: each.startup_ms, default=None)
        slow = f"; the slowest start was {slowest.shell}'s, {slowest.startup_ms:.0f} ms" if slowest else ""
        paint.write(paint.faint(f"It took {seen.seconds:.1f} s{slow}. With -v: each check in each shell."))
        return
    parts = []
    failed = len(proof.failures)
    if failed:
        parts.append(f"{count(failed, 'check')} of {total} failed, for {count(len(proof.by_cause), 'cause')}")
    for state, word in (("changed", "changed since installation"), ("pending", "not provisioned yet")):
        number = sum(each.state == state for each in seen.drift)
        if number:
            parts.append(f"{count(number, 'thing')} {word}")
    paint.write(f"{paint.bad('Not well:')} {'; '.join(parts)} ({starts}, {seen.seconds:.1f} s).")
