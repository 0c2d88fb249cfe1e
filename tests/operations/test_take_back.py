"""Taking back while others want to work, and what stays where not all could be taken back."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.conftest import Desk
from zesty_anchor.engine.opening import alone
from zesty_anchor.files import own_folders
from zesty_anchor.operations import take_back
from zesty_anchor.operations.person import Person
from zesty_anchor.planning.workstation import open_workstation
from zesty_anchor.system.host import login_path
from zesty_anchor.system.problem import Problem

pytestmark = pytest.mark.needs("bash")


def test_nobody_begins_before_all_of_it_is_gone(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    desk.wants('[shells]\nuse = ["bash"]\n')
    desk.well("provision")
    bare = open_workstation({"HOME": str(desk.home), "PATH": login_path()}, desk.home)
    refused: list[str] = []
    remove = own_folders.remove

    def meanwhile(*folders: Path) -> list[str]:
        with pytest.raises(Problem) as caught, alone(bare.locations.state):
            pass
        refused.append(caught.value.what)
        return remove(*folders)

    monkeypatch.setattr(take_back.own_folders, "remove", meanwhile)
    take_back.dismantle(bare, Person(yes=True))
    assert refused
    assert all("another zesty-anchor is at work" in each for each in refused)
    with alone(bare.locations.state):
        assert bare.locations.state.is_dir(), "whoever comes next finds a home of its own"


def test_what_others_keep_beside_our_folders_gets_no_note_of_ours(desk: Desk) -> None:
    """A shell writes its history beside our data, in folders that were made for ours."""
    desk.wants('[shells]\nuse = ["bash"]\n')
    desk.well("provision")
    others = [
        desk.write("- cmd: kelp\n", name) for name in (".local/share/fish/fish_history", ".cache/fish/known")
    ]
    desk.well("undo", "--yes")
    desk.well("dismantle", "--yes")
    left = {
        file for place in (".local", ".cache") for file in (desk.home / place).rglob("*") if file.is_file()
    }
    assert left == set(others)


def test_what_could_not_be_taken_back_keeps_our_folders(desk: Desk) -> None:
    desk.write("alias t=ls\n", ".bashrc")
    desk.wants('[shells]\nuse = ["bash"]\n')
    desk.well("provision")
    copy = next((desk.home / ".local/state/zesty-anchor/attic").rglob("*-bashrc"))
    kept = copy.read_bytes()
    copy.unlink()
    answer = desk.run("dismantle", "--yes")
    assert answer.code == 1
    assert "Our folders stay" in answer.out
    assert (desk.home / ".local/state/zesty-anchor/journal.db").exists()
    copy.write_bytes(kept)
    desk.well("dismantle", "--yes")
    assert (desk.home / ".bashrc").read_bytes() == b"alias t=ls\n"
    assert not (desk.home / ".local").exists()
