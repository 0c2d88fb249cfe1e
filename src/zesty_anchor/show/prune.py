"""What takes disk space, and what was deleted, as a person reads it."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from zesty_anchor.planning.prunable import Prunable, Pruned
from zesty_anchor.show.columns import columns
from zesty_anchor.show.paint import Paint
from zesty_anchor.show.sizes import amount, count, since

_MOST = 12
"""More rows of a kind than this are summed up, the biggest shown."""


def prunable(paint: Paint, found: Pruned, *, whole: bool) -> None:
    """What would be freed, then each thing, by kind, the biggest first; with ``whole`` also those that are
    needed.
    """
    total = sum(each.size for each in found.things)
    if not any(each.goes for each in found.things):
        paint.write(f"Nothing to delete: {amount(total)} in use, all of it needed.")
    else:
        going = sum(each.goes for each in found.things)
        paint.write(
            f"{paint.look(amount(found.freed))} of {amount(total)} can be freed: {count(going, 'thing')}."
        )
    rows = list(_rows(paint, found.things, whole=whole))
    if rows:
        columns(paint, rows, [10, 8, 8])


def pruned(paint: Paint, found: Pruned) -> None:
    """What was freed."""
    paint.write(f"{paint.good(f'Freed {amount(found.freed)}')}: {count(_going(found), 'thing')} deleted.")


def _going(found: Pruned) -> int:
    return sum(each.goes for each in found.things)


def _why(paint: Paint, each: Prunable) -> str:
    why = ", ".join(each.needed) or paint.faint(f"not needed, {since(each.since)}")
    added = ", ".join(each.packages)
    return f"{why}; {paint.look(f'you installed {added}')}" if added else why


def _rows(paint: Paint, things: Sequence[Prunable], *, whole: bool) -> Iterator[list[str]]:
    for kind in dict.fromkeys(each.kind for each in things):
        listed = [each for each in things if each.kind == kind and (whole or each.goes)]
        listed.sort(key=lambda each: not each.goes)
        for each in listed[:_MOST] if not whole else listed:
            yield [
                paint.name(each.subject),
                amount(each.size),
                paint.look("goes") if each.goes else "stays",
                _why(paint, each),
            ]
        if not whole and len(listed) > _MOST:
            rest = listed[_MOST:]
            yield [
                f"{len(rest)} more of {kind}",
                amount(sum(each.size for each in rest)),
                paint.look("goes"),
                "",
            ]
