"""What later runs need of an earlier one, so that it cannot be undone alone."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

import msgspec

from zesty_anchor.changes.change import Kinds
from zesty_anchor.changes.record import Record
from zesty_anchor.engine.journal import Entry, Journal
from zesty_anchor.engine.undo import record_of, successors


class Need(msgspec.Struct, frozen=True):
    """Why one run cannot be undone alone: the later ``run`` and its change ``subject`` that needs it, and
    ``what`` it needs.
    """

    run: int
    subject: str
    what: str


def needed_by(kinds: Kinds, journal: Journal, run: int, later: Sequence[int]) -> Iterator[Need]:
    """What changes of ``later`` runs need of one that is to be taken back, the earliest run first."""
    changes = [(entry, record_of(kinds, entry)) for entry in journal.entries(run)]
    for entry, record in changes:
        for other, others in successors(kinds, journal, entry, record, later):
            if kinds[entry.kind].without(record, others, lambda name, content: None) is None:
                yield Need(
                    other.run,
                    f"{other.action} {other.subject}",
                    f"{entry.subject} was changed in the same lines since",
                )
    for number in sorted(later):
        for other in reversed(journal.entries(number)):
            others = record_of(kinds, other)
            for what in _needed(kinds, other, others, changes):
                yield Need(number, f"{other.action} {other.subject}", what)


def _needed(
    kinds: Kinds, other: Entry, others: Record, changes: Iterable[tuple[Entry, Record]]
) -> Iterator[str]:
    """What one later change needs of those: the line that reads what it wrote, the folder that it works in,
    the version that it names.
    """
    for entry, record in changes:
        if other.kind in kinds[entry.kind].carries:
            yield f"its line in {entry.subject} is what reads the rest"
        elif other.kind != entry.kind and any(_is_in(i, o) for o in record.places() for i in others.places()):
            yield f"{entry.subject} came with it"
        elif other.kind != entry.kind and kinds[other.kind].uses(others, record.places()):
            yield f"{entry.subject} came with it, and the shells use it since"


def _is_in(inner: str, outer: str) -> bool:
    return inner == outer or inner.startswith(outer + "/")
