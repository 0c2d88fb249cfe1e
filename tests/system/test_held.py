"""What was left behind by a program that was killed, and what another one is still at work with: told apart
in containers too, where the same number is another process.
"""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
from pathlib import Path
from typing import Any

import pytest

from tests.conftest import PROGRAM, Desk, is_root
from zesty_anchor.files.replace import left_beside, replace
from zesty_anchor.shells.litter import clear_litter, unlittered
from zesty_anchor.system.held import hold, left
from zesty_anchor.system.host import login_path
from zesty_anchor.system.room import clear_left, room

pytestmark = pytest.mark.needs("unshare")
APART = ["unshare", *([] if is_root() else ["--user", "--map-root-user"]), "--pid", "--fork", "--mount-proc"]
"""Starts a program where it has the number 1, and no other process is to be seen."""


@pytest.fixture
def temporary(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.setenv("TMPDIR", str(tmp_path))
    monkeypatch.setattr(tempfile, "tempdir", str(tmp_path))
    return tmp_path


def apart(code: str) -> None:
    subprocess.run([*APART, sys.executable, "-c", code], check=True, timeout=30)


def test_a_room_that_is_in_use_stays_whoever_looks(temporary: Path) -> None:
    with room("work") as ours:
        clear_left()
        apart("from zesty_anchor.system.room import clear_left; clear_left()")
        assert ours.is_dir()
    assert not list(temporary.iterdir())


def test_a_room_that_was_left_goes_though_its_number_lives(temporary: Path) -> None:
    for name in (f"{os.getpid()}-abc", "1-abc", "mine"):
        (temporary / f"zesty-anchor-work-{name}").mkdir()
        os.utime(temporary / f"zesty-anchor-work-{name}", (1, 1))
    (temporary / "zesty-anchor-work-1-new").mkdir()
    clear_left()
    assert {path.name.rpartition("-")[2] for path in temporary.iterdir()} == {"mine", "new"}


@pytest.mark.parametrize("moment", ["os.open", "hold"])
def test_a_room_that_is_cleared_before_it_is_held_is_made_again(
    temporary: Path, monkeypatch: pytest.MonkeyPatch, moment: str
) -> None:
    """By a run in a container, to which our number means nothing."""
    monkeypatch.setattr("zesty_anchor.system.held.lives", lambda process: False)
    first, cleared = os.open if moment == "os.open" else hold, []

    def late(*given: Any, **more: Any) -> Any:
        if not cleared:
            cleared.append("once")
            clear_left()
            assert not list(temporary.iterdir())
        return first(*given, **more)

    monkeypatch.setattr(f"zesty_anchor.system.room.{moment}", late)
    with room("work") as ours:
        assert ours.is_dir() and cleared
    assert not list(temporary.iterdir())


def test_what_is_written_beside_a_file_is_left_only_where_nobody_writes(tmp_path: Path) -> None:
    beside = tmp_path / f".tides.zesty-anchor-{os.getpid()}"
    beside.write_bytes(b"ha")
    replace(tmp_path / "tides", b"half past four\n")
    assert (tmp_path / "tides").read_bytes() == b"half past four\n", (
        "a number that comes again is in nobody's way"
    )
    os.utime(beside, (1, 1))
    assert list(left_beside(tmp_path)) == [(beside, "tides")]
    with beside.open("rb") as writing:
        hold(writing.fileno())
        assert not list(left_beside(tmp_path))


@pytest.mark.parametrize("kind", ["link", "closed"])
def test_what_cannot_be_opened_goes_by_its_number(tmp_path: Path, kind: str) -> None:
    path = tmp_path / "a"
    if kind == "link":
        path.symlink_to("nowhere")
    else:
        path.write_bytes(b"")
        path.chmod(0)
        os.utime(path, (1, 1))
    with left(path, os.getpid()) as alone:
        assert alone is (kind == "closed" and is_root())
    with left(path, 2**22 + 1) as alone:
        assert alone


def test_shells_at_work_are_left_in_peace(tmp_path: Path) -> None:
    state, history = tmp_path / "state", tmp_path / ".sh_history"
    state.mkdir()
    code = (
        "from pathlib import Path; from zesty_anchor.shells.litter import clear_litter;"
        f" clear_litter(Path({str(state)!r}))"
    )
    with unlittered([history], state):
        history.write_bytes(b"")
        clear_litter(state)
        apart(code)
        assert history.exists()
    assert not history.exists() and not list(state.iterdir())
    history.write_bytes(b"")
    (state / "shells-at-work-1-7").write_text(f"{history}\n")
    os.utime(state / "shells-at-work-1-7", (1, 1))
    clear_litter(state)
    assert not history.exists() and not list(state.iterdir())


@pytest.mark.skipif(
    not is_root(), reason="root's folders look like a stranger's from a namespace of one's own"
)
@pytest.mark.needs("bash", "zsh")
def test_where_each_run_has_the_same_number(desk: Desk) -> None:
    """As in a container: one was killed, and the next one is number 1 again."""
    desk.wants()
    desk.write("alias t=ls\n", ".bashrc")
    mine = desk.write("mine\n", "..bashrc.zesty-anchor-1")
    environment = {"HOME": str(desk.home), "PATH": login_path()}
    for words in (["provision"], ["undo"]):
        subprocess.run([*APART, str(PROGRAM), *words], env=environment, cwd=desk.home, check=True, timeout=60)
    assert mine.read_text() == "mine\n"
    assert (desk.home / ".bashrc").read_text() == "alias t=ls\n"
