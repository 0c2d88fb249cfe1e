"""A rehearsal as a person reads it."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec

from zesty_anchor.planning.rehearsed import Rehearsed
from zesty_anchor.show import changes
from zesty_anchor.show.paint import Paint
from zesty_anchor.show.sizes import count

_MOST = 6


def rehearsed(paint: Paint, found: Rehearsed) -> None:
    """What provisioning would do, then whether the way back is whole, and that the home is as it was."""
    told = [change for change in found.outcome.changes if change.outcome == "simulated"]
    changes.outcome(paint, msgspec.structs.replace(found.outcome, reload=""), found.manifest)
    if told:
        paint.write(
            paint.look("Needs privilege, so it was only shown: ")
            + _some([f"{c.action} {c.subject}" for c in told])
        )
    if found.back:
        paint.write(paint.bad("Undo is not complete: ") + _some(found.back) + " differ after undo.")
    elif found.outcome.changed:
        paint.write(f"{paint.good('Undo')} restored the copy byte for byte.")
    if found.touched:
        paint.write(
            paint.look("In your home meanwhile: ")
            + _some(found.touched)
            + " changed: another program of yours, or a fault of ours."
        )
    else:
        paint.write(f"{paint.good('Your home')} is unchanged: {count(found.compared, 'file')} compared.")
    where = "a copy of the home" if not found.root else f"a copy of {found.root} with a copy of the home"
    what = f"All of it happened in {where}, which is deleted"
    paint.write(f"{what}: {found.seconds:.1f} s. To apply: {paint.name('zesty-anchor provision')}")


def _some(names: Sequence[str]) -> str:
    more = f", and {len(names) - _MOST} more" if len(names) > _MOST else ""
    return ", ".join(names[:_MOST]) + more
