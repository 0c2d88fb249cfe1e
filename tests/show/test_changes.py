"""Every kind of change has its place where a person reads of it."""

from __future__ import annotations

import io

import pytest

from zesty_anchor.changes.heading import Heading
from zesty_anchor.changes.kinds import KINDS
from zesty_anchor.engine.outcome import ChangeReport
from zesty_anchor.show.changes import brought
from zesty_anchor.show.paint import Paint


def test_every_heading_of_a_preview_has_a_kind() -> None:
    assert {kind.heading for kind in KINDS.values()} == set(Heading)


@pytest.mark.parametrize("outcome", ["done", "taken back"])
def test_every_kind_but_our_own_files_is_in_a_summary(outcome: str) -> None:
    for name, kind in KINDS.items():
        out = io.StringIO()
        brought(Paint(out, "never", {}), [ChangeReport(name, "tide-table", "install", "", outcome)], outcome)
        assert ("tide-table" in out.getvalue()) == (kind.heading is not Heading.OURS), name
