"""Sudo's password on other machines: the real sudo and ssh, with users made for it."""

from __future__ import annotations

import json
import os
import re
import subprocess
import time
from collections.abc import Iterator
from pathlib import Path

import pexpect
import pytest

from tests.conftest import PROGRAM, Desk
from tests.fleet import Fleet

pytestmark = [
    pytest.mark.system,
    pytest.mark.needs("bash", "ssh", "sshd", "sudo"),
    pytest.mark.skipif(os.geteuid() != 0, reason="users and sudo's rules are root's"),
]
ENVIRONMENT = Path("/etc/environment")
RULES = Path("/etc/sudoers.d/tide-passwords")
USERS = {"tide-quay-ebb": "slack-water-41", "tide-quay-flow": "slack-water-41", "tide-mast": "crows-nest-7"}
NAMES = {"tide-quay-ebb": "TIDE_EBB", "tide-quay-flow": "TIDE_FLOW", "tide-mast": "TIDE_MAST"}
"""The variable that each of them sets for all users here: the machines share one /etc."""
HOSTS = "ebb-1,flow-1,mast-1"
ASKED = re.compile(r"the password for sudo on ([^:]*): ")


@pytest.fixture
def fleet(open_room: Path, kelp_feed: str) -> Iterator[Fleet]:
    """Three machines whose users need a password for sudo, two of them the same one."""
    (open_room / "desk").mkdir()
    found = Fleet(open_room, Desk(open_room / "desk", kelp_feed))
    found.config.chmod(0o644)
    rules = "".join(f"{user} ALL=(ALL) ALL\n" for user in USERS)
    assert set_here() == []
    try:
        for user, name in zip(USERS, HOSTS.split(","), strict=True):
            subprocess.run(["useradd", "-M", "-s", "/bin/bash", "-d", found.home(name), user], check=True)
            found.add(name, user=user)
        words = "".join(f"{user}:{password}\n" for user, password in USERS.items())
        subprocess.run(["chpasswd"], input=words, text=True, check=True)
        RULES.write_text(rules)
        found.desk.manifest.write_text(
            '[shells]\nuse = ["bash"]\n'
            + "".join(f'[on."user:{user}".variables.system]\n{name} = "1"\n' for user, name in NAMES.items())
        )
        found.desk.write('[groups]\nquay = ["ebb-1", "flow-1"]\nmast = ["mast-1"]\n', "hosts.toml")
        yield found
    finally:
        for name in HOSTS.split(","):
            found.cut(name)
        RULES.unlink(missing_ok=True)
        for user in USERS:
            subprocess.run(["pkill", "-KILL", "-u", user], check=False)
            subprocess.run(["userdel", user], check=False, capture_output=True)


def at_a_terminal(fleet: Fleet, *words: str, types: tuple[str, ...]) -> tuple[int, list[str], str]:
    """The exit status, on which machines a password was asked for, and all that was shown."""
    environment = {"HOME": str(fleet.desk.home), "PATH": "/usr/sbin:/usr/bin:/sbin:/bin", "TERM": "dumb"}
    child = pexpect.spawn(
        str(PROGRAM),
        ["across", "--ssh-config", str(fleet.config), "--hosts", "hosts.toml", *words],
        env=environment, cwd=str(fleet.desk.home), timeout=120, encoding="utf-8", dimensions=(50, 160),
    )  # fmt: skip
    asked, shown, left = [], "", list(types)
    while child.expect([ASKED, pexpect.EOF]) == 0:
        asked.append(child.match.group(1))
        shown += child.before
        time.sleep(0.2)  # the terminal stops echoing after the words are shown
        child.sendline(left.pop(0) if left else "none")
    child.close()
    return child.exitstatus, asked, shown + child.before


def set_here() -> list[str]:
    """Which of the variables are set for all users."""
    return re.findall(r"TIDE_\w+", ENVIRONMENT.read_text()) if ENVIRONMENT.exists() else []


def written_down(fleet: Fleet, password: str) -> list[str]:
    return [
        str(file)
        for file in fleet.folder.rglob("*")
        if file.is_file() and not file.is_symlink() and password.encode() in file.read_bytes()
    ]


def test_a_password_is_asked_once_for_each_group_and_written_down_nowhere(fleet: Fleet) -> None:
    nobody = fleet.run(HOSTS, "--yes", "provision")
    assert nobody.code == 1 and "3 answer needed" in nobody.out, nobody.out + nobody.err
    assert "sudo wants the password" in nobody.out
    code, asked, shown = at_a_terminal(
        fleet,
        "--at-once",
        "1",
        "all",
        "provision",
        "--yes",
        types=("no-such-word-3", "crows-nest-7", "slack-water-41"),
    )
    assert code == 0 and "3 ok" in shown, shown
    assert asked == ["quay (ebb-1, flow-1)", "mast (mast-1)", "quay (ebb-1, flow-1)"]
    assert sorted(set_here()) == sorted(NAMES.values())
    for password in (*USERS.values(), "no-such-word-3"):
        assert written_down(fleet, password) == []
    note = fleet.home("ebb-1") / "note"
    note.write_text("slack-water-41")
    assert written_down(fleet, "slack-water-41") == [str(note)], "else nothing would be found"
    note.unlink()
    code, asked, shown = at_a_terminal(
        fleet, "--at-once", "1", "all", "undo", "--yes", types=("slack-water-41", "crows-nest-7")
    )
    assert code == 0 and len(asked) == 2, shown
    assert "TIDE_ZONE" not in Path("/etc/environment").read_text()


def test_one_who_cannot_give_it_is_told_and_nothing_is_begun(fleet: Fleet) -> None:
    RULES.write_text("tide-mast ALL=(ALL) ALL\n")
    code, asked, shown = at_a_terminal(fleet, "mast", "provision", "--yes", types=("a", "b", "c"))
    assert code == 1 and len(asked) == 3, shown
    assert "sudo did not accept the password" in shown and "incorrect password attempt" in shown
    assert not (fleet.home("mast-1") / ".local/state/zesty-anchor/journal.db").exists()


def test_a_preview_asks_for_no_password_and_one_whom_none_helps_is_not_asked_again(fleet: Fleet) -> None:
    code, asked, shown = at_a_terminal(fleet, "all", "preview", types=())
    assert code == 0 and asked == [] and "3 ok" in shown, shown
    RULES.unlink()
    code, asked, shown = at_a_terminal(fleet, "mast", "provision", "--yes", types=("crows-nest-7",))
    assert code == 1 and len(asked) == 1, shown
    assert "sudo cannot be used there" in shown and "not in the sudoers file" in shown


def test_the_password_comes_by_standard_input(fleet: Fleet) -> None:
    """What a scheduler does: the program itself, with no terminal."""
    home = fleet.home("ebb-1")
    manifest = home / "workstation.toml"
    manifest.write_text(fleet.desk.manifest.read_text())
    os.chown(manifest, home.stat().st_uid, home.stat().st_gid)
    ssh = ["ssh", "-F", str(fleet.config), "ebb-1"]

    def there(words: str, password: str) -> subprocess.CompletedProcess[str]:
        return subprocess.run([*ssh, words], input=password, capture_output=True, text=True, check=False)

    fleet.well("ebb-1", "preview")
    program = next(home.glob(".local/share/zesty-anchor-across/program-*/bin/zesty-anchor"))
    provision = f"{program} provision --json --yes --trust workstation.toml --password-stdin"
    wrong = there(provision, "no-such-word-3\n")
    assert wrong.returncode == 1 and "sudo gave no privilege" in json.loads(wrong.stdout)["errors"][0]["what"]
    none = there(provision, "")
    assert none.returncode == 2 and "no password came on standard input" in none.stderr
    without = there(provision.replace(" --password-stdin", ""), "")
    assert without.returncode == 5 and json.loads(without.stdout)["questions"][0]["kind"] == "password"
    assert there(provision, "slack-water-41\n").returncode == 0
    assert set_here() == ["TIDE_EBB"]
    assert there(f"{program} undo --yes --password-stdin", "slack-water-41\n").returncode == 0
    assert set_here() == []
