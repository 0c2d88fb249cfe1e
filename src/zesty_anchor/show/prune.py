"""What takes disk space, and what was deleted, as a person reads it."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from zesty_anchor.planning.prunable import Prunable, Pruned
from zesty_anchor.show.columns import columns
from zesty_anchor.show.paint import Paint
from zesty_anchor.show.sizes import amount, count, since

_MOST = 12
"""More rows of a kind than this are summed up, the biggest shown."""


_HEADS = {"versions": "Versions", "downloads": "Downloads", "builds": "Kept builds", "attic": "Attic"}


def prunable(paint: Paint, found: Pruned, *, whole: bool, advise: bool = False) -> None:
    """What would be freed, then each thing, by kind, those that go first; with ``whole`` also those that are
    needed. ``advise`` adds the command that deletes them.
    """
    total, going = sum(each.size for each in found.things), _going(found)
    if not going:
        used = f"everything on disk ({amount(total)}) is needed" if found.things else "nothing is on disk yet"
        paint.write(f"Nothing to delete: {used}.")
    else:
        paint.write(
            f"{paint.look(amount(found.freed))} of {amount(total)} can be freed: {count(going, 'thing')}."
        )
    for kind, head in _HEADS.items():
        listed = [each for each in found.things if each.kind == kind and (whole or each.goes)]
        if listed:
            paint.write(paint.head(f"{head}, {amount(sum(each.size for each in listed))}"))
            columns(paint, list(_rows(paint, listed, whole=whole)), [10, 8, 8])
    if advise and going:
        paint.write(f"To delete what goes: {paint.name('zesty-anchor prune')}")


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
    ordered = sorted(things, key=lambda each: not each.goes)
    for each in ordered if whole else ordered[:_MOST]:
        goes = paint.look("goes") if each.goes else "stays"
        yield [paint.name(each.subject), amount(each.size), goes, _why(paint, each)]
    if rest := [] if whole else ordered[_MOST:]:
        size = amount(sum(each.size for each in rest))
        yield [f"{len(rest)} more", size, paint.look("goes"), ""]
