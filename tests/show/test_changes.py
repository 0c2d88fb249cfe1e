"""No kind of change is left out of what a person reads."""

from __future__ import annotations

from zesty_anchor.changes.kinds import KINDS
from zesty_anchor.show.changes import _GROUPS


def test_every_kind_that_a_manifest_can_bring_has_its_place_in_the_preview() -> None:
    shown = {kind for kinds, _ in _GROUPS for kind in kinds}
    assert shown == KINDS.keys() - {"removed-version", "choice"}, (
        "a version is removed, and chosen, by a command of its own"
    )
