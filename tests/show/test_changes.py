"""No kind of change is left out of what a person reads."""

from __future__ import annotations

from zesty_anchor.changes.kinds import KINDS
from zesty_anchor.show.changes import SUMMED
from zesty_anchor.show.preview import GROUPS, OURS


def test_every_kind_that_a_manifest_can_bring_has_its_place_in_the_preview() -> None:
    shown = {kind for kinds, _ in GROUPS for kind in kinds}
    assert shown == KINDS.keys() - {"removed-version", "choice"}, (
        "a version is removed, and chosen, by a command of its own"
    )


def test_every_kind_but_our_own_files_has_its_place_in_a_summary() -> None:
    listed = [kind for kinds in SUMMED for kind in kinds]
    assert sorted(listed) == sorted(KINDS.keys() - set(OURS))
