"""A disk that is full, a file system that may only be read, folders and files that are closed: each error
says what, where and what to do next, and nothing is lost.
"""

from __future__ import annotations

import os
import shutil
import sqlite3
import subprocess
from collections.abc import Callable
from pathlib import Path

import pytest

from tests.conftest import Answer, Desk
from tests.faults.world import OURS
from zesty_anchor.demo.home import likeness

pytestmark = pytest.mark.needs("bash", "setpriv")
STATE, DATA = Path(".local/state/zesty-anchor"), Path(".local/share/zesty-anchor")


def tells(answer: Answer, what: str, where: str) -> None:
    said = answer.out + answer.err
    assert answer.code == 1, said
    assert what in said
    assert where in said
    assert "unexpected" not in said
    assert "Traceback" not in said


WORKS = "nothing in it need be made"
CLOSED: dict[str, tuple[str, int, tuple[str, ...], str]] = {
    "a home that may not be written": (".", 0o555, ("provision",), "permission denied"),
    "a state folder that is closed": (str(STATE), 0o000, ("undo",), "permission denied"),
    "a state folder that may not be written": (str(STATE), 0o555, ("undo",), WORKS),
    "a journal that may only be read": (str(STATE / "journal.db"), 0o444, ("undo",), "readonly"),
    "a version's folder that is closed": (
        str(DATA / "shelf/kelp/4.2.1"),
        0o000,
        ("undo",),
        "permission denied",
    ),
    "a launcher that is closed": (str(DATA / "bin/kelp"), 0o000, ("undo",), "permission denied"),
    "a folder of launchers that is closed": (str(DATA / "bin"), 0o000, ("undo",), "permission denied"),
    "a shell folder that may not be written": (str(DATA / "shell"), 0o555, ("undo",), "permission denied"),
    "an attic that is closed": (str(STATE / "attic"), 0o000, ("undo",), "permission denied"),
}


@pytest.mark.parametrize("name", CLOSED)
def test_what_is_closed_is_named_and_afterwards_all_goes_on(
    desk: Desk, ordinary: Callable[..., Answer], name: str
) -> None:
    place, mode, words, what = CLOSED[name]
    desk.write("alias t=ls\n", ".bashrc")
    desk.wants('[shells]\nuse = ["bash"]\n')
    before = likeness(desk.home, OURS)
    if words != ("provision",):
        done = ordinary("provision")
        assert done.code == 0, done.out + done.err
    path = desk.home / place
    was = path.stat().st_mode & 0o7777
    path.chmod(mode)
    answer = ordinary(*words)
    path.chmod(was)
    if what == WORKS:
        assert answer.code == 0, answer.out + answer.err
        assert likeness(desk.home, OURS) == before
        return
    tells(answer, what, Path(place).name if place != "." else desk.home.name)
    if words == ("provision",):
        assert likeness(desk.home, OURS) == before
    else:
        again = ordinary("undo")
        assert again.code == 0, again.out + again.err
        assert likeness(desk.home, OURS) == before


def test_a_journal_that_another_program_holds(desk: Desk, ordinary: Callable[..., Answer]) -> None:
    desk.wants('[shells]\nuse = ["bash"]\n')
    assert ordinary("provision").code == 0
    base = sqlite3.connect(desk.home / STATE / "journal.db", isolation_level=None)
    base.execute("BEGIN EXCLUSIVE")
    tells(ordinary("undo"), "locked", "journal.db")
    base.execute("COMMIT")
    base.close()
    assert ordinary("undo").code == 0


@pytest.mark.system
@pytest.mark.parametrize("how", ["full", "read-only"])
def test_a_disk_that_takes_no_more(desk: Desk, tmp_path: Path, how: str) -> None:
    if os.geteuid() != 0:
        pytest.skip("only root may mount a disk of its own")
    disk = tmp_path / "disk"
    disk.mkdir()
    desk.write("alias t=ls\n", ".bashrc")
    subprocess.run(["mount", "-t", "tmpfs", "-o", "size=3m", "tides", str(disk)], check=True)
    try:
        home = disk / "home"
        shutil.copytree(desk.home, home)
        small = Desk(home, desk.url)
        small.wants('[shells]\nuse = ["bash"]\n')
        small.well("provision")
        provisioned = (home / ".bashrc").read_bytes()
        small.wants('[shells]\nuse = ["bash"]\n[variables]\nA = "1"\n')
        filler = home / "tables"
        if how == "full":
            with pytest.raises(OSError, match="space"), filler.open("wb", buffering=0) as file:
                while True:
                    file.write(b"x" * 4096)
        else:
            subprocess.run(["mount", "-o", "remount,ro", str(disk)], check=True)
        for words in (("provision",), ("switch", "kelp", "3.6", "--default"), ("undo",)):
            answer = small.run(*words)
            said = answer.out + answer.err
            assert answer.code == 1, said
            assert ("full" if how == "full" else "read-only") in said or "readonly" in said, said
            assert "unexpected" not in said
            assert (home / ".bashrc").read_bytes() == provisioned
            assert small.manifest.read_text().endswith('A = "1"\n'), "the manifest is whole"
        if how == "full":
            filler.unlink()
        else:
            subprocess.run(["mount", "-o", "remount,rw", str(disk)], check=True)
        assert small.well("provision", "--json").json["proof"]["ok"]
        while small.run("undo").code == 0:
            pass
        assert (home / ".bashrc").read_bytes() == b"alias t=ls\n"
    finally:
        subprocess.run(["umount", "-l", str(disk)], check=True)
