"""What fresh shells answered, as a person reads it."""

from __future__ import annotations

from zesty_anchor.proof.result import Proof
from zesty_anchor.show.paint import Paint
from zesty_anchor.show.sizes import count, table


def matrix(paint: Paint, proof: Proof) -> None:
    """One row a check, one column a shell and context."""
    if not proof.shells:
        return
    found = [{check.name: check.ok for check in shell.checks} for shell in proof.shells]
    names = list(dict.fromkeys(name for checks in found for name in checks))
    heads: list[list[str]] = [["fresh shell"], ["started as"], ["took"]]
    for shell in proof.shells:
        heads[0].append(shell.shell)
        heads[1].append(shell.context)
        heads[2].append(f"{shell.startup_ms:.0f} ms")
    rows = [[paint.faint(cell) for cell in head] for head in heads]
    for name in names:
        marks = ["" if name not in c else paint.good("yes") if c[name] else paint.bad("NO") for c in found]
        rows.append([name, *marks])
    for line in table(rows, [26]):
        paint.write(f"  {line}")


def failures(paint: Paint, proof: Proof) -> None:
    """Each check that failed: expected, observed, and in which shells."""
    seen: dict[tuple[str, str, str], list[str]] = {}
    for shell, check in proof.failures:
        seen.setdefault((check.name, check.expected, check.observed), []).append(f"{shell.shell} ({shell.context})")
    for (name, expected, observed), shells in seen.items():
        paint.write(paint.bad("not so: ") + f"{name}, in {'; '.join(shells)}")
        paint.write(f"  expected: {expected}")
        paint.write(f"  observed: {observed}")


def verdict(paint: Paint, proof: Proof) -> None:
    """The last line of ``verify``."""
    total = sum(len(shell.checks) for shell in proof.shells)
    shells = count(len(proof.shells), "fresh shell")
    if proof.ok:
        paint.write(paint.good("All well: ") + f"{count(total, 'check')} in {shells}.")
    else:
        failed = len(proof.failures)
        paint.write(paint.bad(f"{count(failed, 'check')} failed ") + f"of {total} in {shells}.")
