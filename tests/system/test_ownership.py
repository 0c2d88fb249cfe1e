"""In whose hands a file or a folder is."""

from __future__ import annotations

import os
from pathlib import Path

import pytest

from tests.conftest import is_root
from zesty_anchor.system.ownership import check_own, in_other_hands
from zesty_anchor.system.problem import UsageProblem

OTHER = 4711
as_root = pytest.mark.skipif(not is_root(), reason="only root can give a file away")


@pytest.fixture
def room(open_room: Path) -> Path:
    """A folder in one that everybody may write into, but only owners may remove from."""
    return open_room


def test_a_file_of_ones_own_is_believed(room: Path) -> None:
    (room / "a").write_text("mine")
    assert in_other_hands(room / "a") == ""


@pytest.mark.parametrize(("mode", "said"), [(0o666, "everybody may write"), (0o622, "everybody may write")])
def test_one_that_others_may_write_is_not(room: Path, mode: int, said: str) -> None:
    (room / "a").write_text("mine")
    (room / "a").chmod(mode)
    assert in_other_hands(room / "a").startswith(said)


def test_nor_one_in_a_folder_where_others_may_replace_it(room: Path) -> None:
    (room / "open").mkdir()
    (room / "open/a").write_text("mine")
    (room / "open").chmod(0o777)
    assert in_other_hands(room / "open/a") == f"everybody may write into {room}/open"
    (room / "open").chmod(0o1777)
    assert in_other_hands(room / "open/a") == ""
    assert in_other_hands(room / "open") != "", "of what is put there itself, that is no help"


@as_root
def test_nor_one_of_another_user_or_below_a_folder_of_theirs(room: Path) -> None:
    (room / "a").write_text("theirs")
    os.chown(room / "a", OTHER, 0)
    assert "belongs to another user" in in_other_hands(room / "a")
    (room / "theirs").mkdir()
    (room / "theirs/b").write_text("mine")
    os.chown(room / "theirs", OTHER, 0)
    assert "belongs to another user" in in_other_hands(room / "theirs/b")


@as_root
def test_a_folder_of_ours_that_is_anothers_is_refused(room: Path) -> None:
    home, ours = room / "home", room / "home/.local/share/zesty-anchor"
    ours.mkdir(parents=True)
    check_own(ours, home)
    os.chown(ours, OTHER, 0)
    with pytest.raises(UsageProblem, match="belongs to another user"):
        check_own(ours, home)
    os.chown(ours, 0, 0)
    os.chown(ours.parent, OTHER, 0)
    with pytest.raises(UsageProblem, match="could put another folder in place of"):
        check_own(ours, home)


def test_a_folder_of_ours_that_others_may_write_into_is_refused(room: Path) -> None:
    home, ours = room / "home", room / "home/.local/share/zesty-anchor"
    ours.mkdir(parents=True)
    ours.chmod(0o777)
    with pytest.raises(UsageProblem, match="everybody may write into"):
        check_own(ours, home)
    ours.chmod(0o700)
    ours.parent.chmod(0o777)
    with pytest.raises(UsageProblem, match="could put another folder in place"):
        check_own(ours, home)
