"""Every kind of change has its place where a person reads of it."""

from __future__ import annotations

import io

import pytest

from zesty_anchor.changes.heading import Heading
from zesty_anchor.changes.kinds import KINDS
from zesty_anchor.engine.outcome import ChangeReport
from zesty_anchor.proof.result import CheckResult, Proof, ShellResult
from zesty_anchor.show.changes import brought
from zesty_anchor.show.paint import Paint
from zesty_anchor.show.proof import failures


def test_every_heading_of_a_preview_has_a_kind() -> None:
    assert {kind.heading for kind in KINDS.values()} == set(Heading)


@pytest.mark.parametrize("outcome", ["done", "undone"])
def test_every_kind_but_our_own_files_is_in_a_summary(outcome: str) -> None:
    for name, kind in KINDS.items():
        out = io.StringIO()
        brought(Paint(out, "never", {}), [ChangeReport(name, "tide-table", "install", "", outcome)], outcome)
        assert ("tide-table" in out.getvalue()) == (kind.heading is not Heading.OURS), name


def test_the_lines_that_say_why_are_shown() -> None:
    said = "\n".join(f"line {n}: the tide table cannot be read from the quay" for n in range(9))
    for rows, wanted in ((4, 4), (6, 6), (9, 6)):
        text = "\n".join(said.split("\n")[:rows])
        check = CheckResult("it works", False, "high water", text)
        out = io.StringIO()
        failures(Paint(out, "never", {}), Proof(False, (ShellResult("bash", "login", False, 1.0, (check,)),)))
        shown = [line for line in out.getvalue().splitlines() if "line" in line]
        assert len(shown) == wanted and f"line {rows - 1}:" in shown[-1], shown
    assert "more lines (-v shows all)" in out.getvalue()
