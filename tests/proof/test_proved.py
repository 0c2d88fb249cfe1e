"""After a provision only what changed is proved again, and verify proves all."""

from __future__ import annotations

import os
from pathlib import Path

import pytest

from tests.conftest import Desk
from zesty_anchor.proof import proved

SECOND = '[runtimes.kelp]\nwant = "lts"\nalso = ["3.6"]\n'


def checks(document: dict[str, object]) -> set[str]:
    return {check["name"] for shell in document["shells"] for check in shell["checks"]}  # type: ignore[attr-defined,index]


@pytest.mark.needs("bash")
def test_only_what_changed_is_asked_again_and_verify_asks_all(desk: Desk) -> None:
    desk.wants()
    first = checks(desk.well("provision", "--json").json["proof"])
    (version,) = (name for name in first if name.startswith("kelp is 4"))
    desk.wants(runtimes=SECOND)
    again = checks(desk.well("provision", "--json").json["proof"])
    assert version not in again
    assert "kelp is found" in again, "what hangs on the shells is asked each time"
    assert any(name.startswith("kelp 3.6") for name in again)
    assert {version, *again} <= checks(desk.well("verify", "--json").json)

    receipt = next(desk.shelf.glob("kelp/4*/.zesty-anchor.json"))
    os.utime(receipt, (1, 1))
    desk.wants(runtimes=SECOND, more='[variables]\nGAUGE = "north"\n')
    assert version in checks(desk.well("provision", "--json").json["proof"]), "it was put there anew"


def test_a_note_that_cannot_be_read_proves_nothing(tmp_path: Path) -> None:
    found = proved.read(tmp_path)
    found.write({"/shelf/kelp": frozenset({"a"})})
    assert proved.read(tmp_path).known == {"/shelf/kelp": frozenset({"a"})}
    (tmp_path / "proved.json").write_bytes(b"{")
    assert proved.read(tmp_path).known == {}
