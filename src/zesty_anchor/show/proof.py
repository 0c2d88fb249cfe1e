"""What fresh shells answered, as a person reads it."""

from __future__ import annotations

from zesty_anchor.proof.result import Proof
from zesty_anchor.show.paint import Paint
from zesty_anchor.show.sizes import count, table


def matrix(paint: Paint, proof: Proof) -> None:
    """One row a check, one column a shell; a cell counts the ways of starting it, where they do not agree."""
    shells = list(dict.fromkeys(result.shell for result in proof.shells))
    groups = [[result for result in proof.shells if result.shell == name] for name in shells]
    if not groups:
        return
    starts = [f"{max(result.startup_ms for result in group):.0f} ms" for group in groups]
    heads = [["fresh shell", *shells], ["started in", *(count(len(g), "way") for g in groups)], ["up after", *starts]]
    rows = [[paint.faint(cell) for cell in head] for head in heads]
    marks: dict[str, dict[str, list[bool]]] = {}
    for result in proof.shells:
        for check in result.checks:
            marks.setdefault(check.name, {}).setdefault(result.shell, []).append(check.ok)
    for name, by_shell in marks.items():
        rows.append([name, *(_cell(paint, by_shell.get(shell, [])) for shell in shells)])
    for line in table(rows, [26]):
        paint.write(f"  {line}")
    ways: dict[str, list[str]] = {}
    for name, group in zip(shells, groups, strict=True):
        ways.setdefault("; ".join(result.context for result in group), []).append(name)
    for way, names in ways.items():
        paint.write(paint.faint(f"  {', '.join(names)}: {way}"))


def _cell(paint: Paint, marks: list[bool]) -> str:
    if not marks:
        return ""
    if all(marks):
        return paint.good("yes")
    return paint.bad("NO" if not any(marks) else f"{sum(marks)} of {len(marks)}")


def failures(paint: Paint, proof: Proof) -> None:
    """Each check that failed: expected, observed, and in which shells."""
    asked: dict[str, int] = {}
    for each in proof.shells:
        for name in {check.name for check in each.checks}:
            asked[name] = asked.get(name, 0) + 1
    seen: dict[tuple[str, str, str, str], list[str]] = {}
    for shell, check in proof.failures:
        seen.setdefault((check.name, check.expected, check.observed, check.mend), []).append(
            f"{shell.shell} ({shell.context})"
        )
    for (name, expected, observed, then), shells in seen.items():
        where = "every fresh shell" if len(shells) == asked[name] > 1 else "; ".join(shells)
        paint.write(paint.bad("not so: ") + f"{name}, in {where}")
        paint.write(f"  expected: {expected}")
        paint.write(f"  observed: {observed}")
        if then:
            paint.write(f"  next:     {then}")


def verdict(paint: Paint, proof: Proof) -> None:
    """The last line of ``verify``."""
    total = sum(len(shell.checks) for shell in proof.shells)
    shells = count(len(proof.shells), "fresh shell")
    if proof.ok:
        paint.write(paint.good("All well: ") + f"{count(total, 'check')} in {shells}.")
    else:
        failed = len(proof.failures)
        paint.write(paint.bad(f"{count(failed, 'check')} failed ") + f"of {total} in {shells}.")
