"""The power goes at any moment: what a person had is on disk, at its place or in the attic, and the journal
tells of it.
"""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.conftest import Desk
from tests.faults.disk import Disk, Names, recorded

pytestmark = pytest.mark.needs("bash", "strace")
MINE = {
    ".bashrc": b"alias t=ls\nexport PATH=~/old-kelp/bin:$PATH\n",
    ".profile": b". ~/.bashrc\n",
    "old-kelp/bin/kelp": b"old\n",
}
WANTED = '[shells]\nuse = ["bash"]\n[[conflicts.remove]]\npath = "~/old-kelp"\n[variables]\nA = "1"\n'


def furnish(desk: Desk) -> None:
    for name, content in MINE.items():
        file = desk.write("", name)
        file.write_bytes(content)
        file.chmod(0o755)
    desk.wants(WANTED)


def replayed(desk: Desk, tmp_path: Path, words: tuple[str, ...], edited: tuple[str, ...]) -> int:
    """Replay a command call by call, and look after each. Returns how many calls were about the home."""
    home = str(desk.home.resolve())
    disk, attic = Disk(desk.home), f"{home}/.local/state/zesty-anchor/attic"
    journal = f"{home}/.local/state/zesty-anchor/journal.db"
    held = {name: {disk.content(f"{home}/{name}", Names.KILLED)} for name in edited}
    calls = recorded(desk, tmp_path, *words)
    for name in edited:
        path = desk.home / name
        held[name].add(path.read_bytes() if path.exists() else None)
    between = {name: set(contents) for name, contents in held.items()}
    seen = 0
    for name, given, result in calls:
        about = disk.take(name, given, result)
        if not about.startswith(home):
            continue
        seen += 1
        for each in edited:
            if about == f"{home}/{each}" and name.startswith("rename"):
                assert not disk.unflushed(journal), f"the journal does not tell of {each} yet"
                # A startup file may be edited more than once on the way.
                between[each].add(disk.content(about, Names.KILLED))
        for names in Names:
            for each in edited:
                found = disk.content(f"{home}/{each}", names)
                assert found in between[each], f"{name}: {each} holds {found!r} ({names.value})"
            for mine, content in MINE.items():
                there = [disk.content(f"{home}/{mine}", names), *disk.below(attic, names)]
                assert content in there, f"{name} {about}: {mine} is nowhere ({names.value})"
    return seen


def test_the_power_goes_while_it_provisions(desk: Desk, tmp_path: Path) -> None:
    furnish(desk)
    seen = replayed(desk, tmp_path, ("provision",), (".bashrc", ".profile"))
    assert seen > 200, "the calls were not seen"
    assert b"zesty-anchor" in (desk.home / ".bashrc").read_bytes()


def test_the_power_goes_while_it_takes_back(desk: Desk, tmp_path: Path) -> None:
    furnish(desk)
    desk.well("provision")
    assert replayed(desk, tmp_path, ("undo",), (".bashrc", ".profile")) > 50
    assert (desk.home / ".bashrc").read_bytes() == MINE[".bashrc"]


def test_the_replay_sees_a_file_that_was_not_flushed(tmp_path: Path) -> None:
    """The model itself: written and renamed without a flush, a file may hold nothing after the cut."""
    home = tmp_path.resolve()
    (home / "rc").write_bytes(b"mine\n")
    disk, mode = Disk(home), "O_WRONLY|O_CREAT"

    def text(path: str) -> str:
        return '"' + "".join(f"\\x{ord(letter):02x}" for letter in path) + '"'

    beside, rc = f"{home}/.beside", f"{home}/rc"
    disk.take("openat", f"AT_FDCWD</>, {text(beside)}, {mode}, 0600", 3)
    disk.take("write", f"3<{beside}>, {text('new')}, 3", 3)
    disk.take("rename", f"{text(beside)}, {text(rc)}", 0)
    assert disk.content(rc, Names.KILLED) == b"new"
    assert disk.content(rc, Names.ALL) == b""
    assert disk.content(rc, Names.FLUSHED) == b"mine\n"
    disk.take("fsync", f"3<{rc}>", 0)
    disk.take("fsync", f"4<{home}>", 0)
    assert disk.content(rc, Names.FLUSHED) == b"new"
