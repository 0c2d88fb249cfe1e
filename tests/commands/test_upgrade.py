"""Moving to newer versions within the wants: planned, verified and undone as one run."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.conftest import Desk, packed_runtime
from zesty_anchor.demo.home import likeness
from zesty_anchor.engine.journal import Journal
from zesty_anchor.system.locations import locate

STATE = (".local/state/zesty-anchor", ".cache")
MANIFEST = """\
as-root = "allowed"
[shells]
use = ["bash"]
[feeds.quay]
kind = "folder"
url = "{quay}"
[recipes.kelp]
commands = ["kelp"]
[recipes.kelp.version]
run = "kelp --version"
expect = "kelp {{version}}"
[recipes.tidy]
commands = ["tidy"]
[recipes.tidy.version]
run = "tidy --version"
expect = "tidy {{version}}"
[runtimes.kelp]
want = "4"
unpinned = "accepted"
[runtimes.tidy]
want = "latest"
unpinned = "accepted"
"""


def brings(quay: Path, name: str, version: str, says: str = "") -> None:
    (quay / f"{name}-{version}.tar.gz").write_bytes(packed_runtime(name, version, says))


@pytest.fixture
def quay(desk: Desk, tmp_path: Path) -> Path:
    """A feed that had one version of each when the manifest was provisioned, and has newer ones now."""
    folder = tmp_path / "quay"
    folder.mkdir()
    for name, version in (("kelp", "4.2.1"), ("tidy", "1.0")):
        brings(folder, name, version)
    desk.write(MANIFEST.format(quay=folder))
    desk.well("provision")
    for name, version in (("kelp", "4.2.9"), ("kelp", "5.0.0"), ("tidy", "1.1")):
        brings(folder, name, version)
    assert "Nothing to do" in desk.well("provision").out, "nothing moves by itself"
    return folder


def runs(desk: Desk) -> list[str]:
    return desk.shell("bash", "kelp; tidy", "-i").splitlines()


@pytest.mark.parametrize("locked", [False, True], ids=["no lock", "a lock"])
def test_one_runtime_moves_within_its_want_and_back(desk: Desk, quay: Path, locked: bool) -> None:
    if locked:
        for name, version in (("kelp", "4.2.9"), ("kelp", "5.0.0"), ("tidy", "1.1")):
            (quay / f"{name}-{version}.tar.gz").rename(quay.parent / f"{name}-{version}")
        desk.well("lock")
        for name, version in (("kelp", "4.2.9"), ("kelp", "5.0.0"), ("tidy", "1.1")):
            (quay.parent / f"{name}-{version}").rename(quay / f"{name}-{version}.tar.gz")
    before = likeness(desk.home, STATE)
    listed = desk.well("upgrade", "--list", "--json").json["newer"]
    assert {row["runtime"]: (row["version"], row["newer"], row["beyond"]) for row in listed} == {
        "kelp": ("4.2.1", "4.2.9", "5.0.0"), "tidy": ("1.0", "1.1", ""),
    }  # fmt: skip
    asked = desk.run("upgrade", "kelp")
    assert asked.code == 5 and "upgrade kelp 4.2.1 -> 4.2.9?" in asked.err
    assert likeness(desk.home, STATE) == before
    done = desk.well("upgrade", "kelp", "--yes")
    assert "kelp 4.2.9" in done.out and runs(desk) == ["kelp 4.2.9", "tidy 1.0"]
    assert "Nothing to do" in desk.well("provision").out and desk.run("verify").code == 0
    if locked:
        assert 'version = "4.2.9"' in (desk.home / "workstation.lock").read_text()
    desk.well("undo")
    assert likeness(desk.home, STATE) == before
    assert "Nothing to do" in desk.well("provision").out, "what was undone does not come back by itself"
    assert runs(desk) == ["kelp 4.2.1", "tidy 1.0"]


def test_all_move_and_a_second_time_nothing(desk: Desk, quay: Path) -> None:
    desk.well("upgrade", "--yes")
    assert runs(desk) == ["kelp 4.2.9", "tidy 1.1"]
    again = desk.well("upgrade", "--yes")
    assert "newest" in again.out and "changes done" not in again.out
    assert "did you mean 'kelp'?" in desk.run("upgrade", "klep").err


def test_one_that_does_not_work_is_undone_whole(desk: Desk, quay: Path) -> None:
    brings(quay, "kelp", "4.3.0", says="broken")
    before = likeness(desk.home, STATE)
    answer = desk.run("upgrade", "kelp", "--yes")
    assert answer.code == 1 and "all of this run was undone, because 'kelp is 4.3.0' failed" in answer.out, (
        answer.out
    )
    assert likeness(desk.home, STATE) == before and runs(desk)[0] == "kelp 4.2.1"
    assert "Nothing to do" in desk.well("provision").out


def test_what_a_want_meant_before_a_run_comes_back_with_its_undo(tmp_path: Path) -> None:
    here = locate({"HOME": str(tmp_path)})
    with Journal(here) as journal:
        for run, feed, version in ((1, "quay", "4.1"), (2, "quay", "4.2"), (3, "harbour", "4.3")):
            journal.resolve(run, "kelp", "4", feed, version)
        assert journal.resolutions() == {("kelp", "4", "harbour"): "4.3"}, "a want means one version"
        journal.unresolve(2)
        assert journal.resolutions() == {("kelp", "4", "harbour"): "4.3"}, "a later run has decided"
        journal.unresolve(3)
        assert journal.resolutions() == {("kelp", "4", "quay"): "4.1"}, "the second run was undone before"
        journal.unresolve(1)
        assert journal.resolutions() == {}


@pytest.mark.usefixtures("quay")
def test_status_repeats_what_feeds_answered_until_it_is_installed(desk: Desk) -> None:
    assert desk.well("status", "-q").out == ""
    desk.well("upgrade", "--list")
    before = desk.well("status", "-q").out
    assert "kelp 4.2.9 (zesty-anchor upgrade kelp)" in before and "tidy 1.1" in before
    desk.well("upgrade", "kelp", "--yes")
    seen = desk.well("status", "--json").json
    assert [row["runtime"] for row in seen["newer"]] == ["tidy"] and seen["versions"]["kelp"] == "4.2.9"
    desk.well("dismantle", "--yes")
    assert not (desk.home / ".local/state/zesty-anchor").exists()
