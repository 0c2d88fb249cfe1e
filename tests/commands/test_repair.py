"""A version that is damaged: told, put right without any feed, and taken back byte for byte."""

from __future__ import annotations

import sqlite3
from collections.abc import Callable

import pytest

from tests.conftest import Desk
from zesty_anchor.demo.home import likeness
from zesty_anchor.demo.wares import write_index, write_runtime

STATE = (".local/state/zesty-anchor", ".cache")


@pytest.fixture
def damaged(desk: Desk) -> Desk:
    """Something of a version is gone, something was added, and its feed is not there any more."""
    desk.wants('[shells]\nuse = ["bash"]\n')
    desk.well("provision")
    folder = desk.shelf / "kelp/4.2.1"
    (folder / "bin/kelp").unlink()
    (folder / "lib").mkdir()
    (folder / "lib/mine").write_text("mine\n")
    desk.manifest.write_text(desk.manifest.read_text().replace(desk.url, "http://127.0.0.1:9/"))
    return desk


def test_a_damaged_version_is_put_right_from_what_is_kept(damaged: Desk) -> None:
    seen = damaged.well("preview").out
    assert "kelp 4.2.1" in seen and "bin/kelp is missing" in seen
    before = likeness(damaged.home, STATE)
    told = damaged.well("provision", "--json").json
    assert [(each["kind"], each["action"]) for each in told["changes"]] == [("version", "fix")]
    assert any("is kept in" in notice for notice in told["notices"])
    assert damaged.shell("bash", "kelp --version", "-l") == "kelp 4.2.1\n"
    assert (damaged.shelf / "kelp/4.2.1/lib/mine").read_text() == "mine\n", "what a person added stays"
    assert damaged.well("verify", "--deep", "--json").json["state"] == "ok"
    assert damaged.well("provision", "--json").json["changes"] == []
    damaged.well("undo")
    assert likeness(damaged.home, STATE) == before
    damaged.well("dismantle", "--yes")
    assert not damaged.shelf.exists()


def test_what_is_changed_by_hand_and_named_stays(desk: Desk) -> None:
    desk.wants('[shells]\nuse = ["bash"]\n')
    desk.well("provision")
    file = desk.shelf / "kelp/4.2.1/bin/kelp"
    file.write_text(file.read_text() + "# mine\n")
    assert desk.run("verify").code == 6
    desk.wants('[shells]\nuse = ["bash"]\n', '[runtimes.kelp]\nwant = "lts"\nkeep = ["bin/*"]\n')
    assert desk.well("verify", "--json").json["state"] == "ok"
    assert desk.well("provision", "--json").json["changes"] == []
    assert file.read_text().endswith("# mine\n")


def test_a_version_that_was_deleted_comes_back_the_same(desk: Desk) -> None:
    import shutil

    desk.wants('[shells]\nuse = ["bash"]\n', '[runtimes.kelp]\nwant = "4.1"\n')
    desk.well("provision")
    shutil.rmtree(desk.shelf / "kelp")
    told = desk.run("verify", "--json").json
    assert told["state"] == "failing"
    causes = {c["cause"]["file"] for s in told["shells"] for c in s["checks"] if not c["ok"]}
    assert causes == {"~/.local/share/zesty-anchor/shelf/kelp/4.1.0"}
    desk.well("provision")
    assert desk.well("verify", "--json").json["state"] == "ok"


@pytest.mark.needs("fish")
def test_what_came_with_a_run_that_failed_is_not_fetched_again(
    desk: Desk, make_feed: Callable[..., str]
) -> None:
    """The run ended before it was proved, so nobody had noted what "lts" means."""
    url = make_feed({"empty": b""})
    recipe = (
        '[recipes.coral]\ncommands = ["coral"]\n[[recipes.coral.requirements]]\nfile = "coral.json"\nfield ='
        ' "needs.coral"\nform = "npm"\n[feeds.quay]\nkind = "index"\nurl = "{}"\n[runtimes.coral]\nfeed ='
        ' "quay"\nwant = "1"\n'
    )
    (folder,) = (path.parent for path in desk.home.parent.rglob("empty"))
    write_runtime(folder, "coral", [("1.0", "2026-01-01", (), "any", "coral.tar.gz", b"no archive")])
    write_index(folder, ["coral"])
    desk.wants(
        '[shells]\nuse = ["bash", "fish"]\n' + recipe.format(url),
        '[runtimes.kelp]\nwant = "lts"\nfeed = "harbour"\n',
    )
    answer = desk.run("provision", "--json")
    assert (
        answer.code == 1
        and {c["subject"]: c["outcome"] for c in answer.json["changes"]}["kelp 4.2.1"] == "done"
    )
    assert answer.json["proof"]["ok"], "what could be had is proved"
    before = (desk.shelf / "kelp/4.2.1").stat().st_ino
    again = desk.run("provision", "--json")
    assert [c["subject"] for c in again.json["changes"] if c["kind"] == "version"] == ["coral 1.0"]
    assert (desk.shelf / "kelp/4.2.1").stat().st_ino == before
    desk.wants()
    assert not [c for c in desk.well("provision", "--json").json["changes"] if c["kind"] == "version"]
    assert (desk.shelf / "kelp/4.2.1").stat().st_ino == before


def test_what_a_run_that_was_killed_had_put_there_is_taken_for_its_want(desk: Desk) -> None:
    desk.wants()
    desk.well("provision")
    before = (desk.shelf / "kelp/4.2.1").stat().st_ino
    with sqlite3.connect(desk.home / ".local/state/zesty-anchor/journal.db") as base:
        base.execute("DELETE FROM resolutions")
    assert desk.well("provision", "--json").json["changes"] == []
    assert (desk.shelf / "kelp/4.2.1").stat().st_ino == before


def test_a_repair_is_called_that_and_not_new(desk: Desk) -> None:
    desk.wants()
    desk.well("provision")
    (desk.shelf / "kelp/4.2.1/bin/kelp").unlink()
    assert "repaired:       kelp 4.2.1" in desk.well("provision").out
    undone = desk.well("undo").out
    assert "as before:      kelp 4.2.1" in undone and "uninstalled" not in undone
