"""A team's base with a person's own manifest on top, as the built program reads both."""

from __future__ import annotations

import hashlib
import subprocess
from collections.abc import Callable
from pathlib import Path

import pytest

from tests.conftest import Desk

pytestmark = pytest.mark.needs("bash")

TEAM = """\
as-root = "allowed"
firm = ["feeds"]
[shells]
use = ["bash"]
[feeds.harbour]
kind = "index"
url = "{url}"
[recipes.kelp]
commands = ["kelp"]
[recipes.kelp.version]
run = "kelp --version"
expect = "kelp {{version}}"
[runtimes.kelp]
want = "3.6"
[variables]
GAUGE = "north quay"
"""
OWN = 'base = "team/workstation.toml"\n[variables]\nDEPTH = "12"\n'


def of_team(desk: Desk, own: str = OWN) -> Path:
    base = desk.write(TEAM.format(url=desk.url), "team/workstation.toml")
    desk.write(own)
    return base


def told(desk: Desk, command: str) -> list[str]:
    return desk.shell("bash", command, "-i").splitlines()


def test_a_base_is_agreed_to_and_so_is_each_change_of_it(desk: Desk) -> None:
    base = of_team(desk)
    asked = desk.run("provision")
    assert asked.code == 5 and "is new on this machine" in asked.err
    desk.well("provision", "--trust", "workstation.toml")
    assert told(desk, 'echo "$GAUGE, $DEPTH"; kelp --version') == ["north quay, 12", "kelp 3.6.2"]
    base.write_text(base.read_text().replace("north quay", "south quay"))
    again = desk.run("provision")
    assert again.code == 5
    assert 'variables.GAUGE was "north quay" and is now "south quay"' in again.err
    desk.well("provision", "--yes", "--trust", "workstation.toml")
    assert told(desk, 'echo "$GAUGE"') == ["south quay"]
    desk.well("undo")
    assert told(desk, 'echo "$GAUGE"') == ["north quay"]


def test_every_screen_names_the_file_and_line_that_decided(desk: Desk) -> None:
    of_team(desk)
    desk.well("provision", "--trust", "workstation.toml")
    assert "~/team/workstation.toml:14" in desk.well("list").out
    assert "~/team/workstation.toml:14" in desk.well("explain", "kelp").out
    assert "~/team/workstation.toml:16" in desk.well("explain", "GAUGE").out
    assert "~/workstation.toml:3" in desk.well("explain", "DEPTH").out
    assert desk.well("verify").code == 0


def test_status_sees_a_change_of_the_base(desk: Desk) -> None:
    base = of_team(desk)
    desk.well("provision", "--trust", "workstation.toml")
    assert desk.well("status").code == 0
    base.write_text(base.read_text() + "# a word\n")
    changed = desk.run("status")
    assert changed.code == 3 and "~/team/workstation.toml was changed since run 1" in changed.out


def test_a_choice_is_written_into_the_own_file_and_what_is_firm_is_refused(desk: Desk) -> None:
    base = of_team(desk)
    desk.well("provision", "--trust", "workstation.toml")
    before = base.read_bytes()
    desk.well("switch", "kelp", "4.2", "--default")
    assert base.read_bytes() == before
    assert desk.manifest.read_text() == OWN + '\n[runtimes.kelp]\nwant = "4.2"\nalso = ["3.6"]\n'
    assert told(desk, "kelp --version") == ["kelp 4.2.1"]
    base.write_text(before.decode().replace('firm = ["feeds"]', 'firm = ["feeds", "runtimes.kelp"]'))
    refused = desk.run("provision")
    assert refused.code == 2
    assert f"runtimes.kelp is kept firm by the base ({base}:2)" in refused.err
    assert f"{desk.home}/workstation.toml:" in refused.err


def test_a_locked_base_decides_until_the_own_lock_does(desk: Desk) -> None:
    of_team(desk)
    desk.well("lock", "-m", "team/workstation.toml")
    desk.well("provision", "--locked", "--trust", "workstation.toml")
    assert told(desk, "kelp --version") == ["kelp 3.6.2"]


def test_a_base_at_an_address_is_known_by_its_digest(desk: Desk, make_feed: Callable[..., str]) -> None:
    text = TEAM.format(url=desk.url).encode()
    url = make_feed({"workstation.toml": text}) + "workstation.toml"
    digest = f"sha256:{hashlib.sha256(text).hexdigest()}"
    desk.write(f'base = {{ url = "{url}", digest = "sha256:{"0" * 64}" }}\n')
    wrong = desk.run("preview")
    assert wrong.code == 2 and "has changed" in wrong.err and f'digest = "{digest}"' in wrong.err
    assert f"{desk.home}/workstation.toml:1" in wrong.err
    desk.write(f'base = {{ url = "{url}", digest = "{digest}" }}\n')
    desk.well("provision", "--trust", "workstation.toml")
    assert told(desk, 'kelp --version; echo "$GAUGE"') == ["kelp 3.6.2", "north quay"]
    assert "Nothing to do" in desk.well("provision", "--offline").out


@pytest.mark.needs("git")
def test_a_base_in_a_repository_is_known_by_its_commit(desk: Desk, tmp_path: Path) -> None:
    repository = tmp_path / "team"

    def git(*words: str) -> str:
        who = ("-c", "user.name=Tide Desk", "-c", "user.email=desk@tide.example")
        command = ["git", "-C", str(repository), *who, *words]
        return subprocess.run(command, check=True, capture_output=True, text=True).stdout.strip()

    (repository / "desks").mkdir(parents=True)
    (repository / "desks/quay.toml").write_text(TEAM.format(url=desk.url))
    git("init", "-q")
    git("add", ".")
    git("commit", "-q", "-m", "the desk")
    commit = git("rev-parse", "HEAD")
    base = f'git = "file://{repository}", file = "desks/quay.toml"'
    desk.write(f"base = {{ {base} }}\n")
    refused = desk.run("preview")
    assert refused.code == 2 and "without its commit" in refused.err and "git ls-remote" in refused.err
    desk.write(f'base = {{ {base}, commit = "{"0" * 40}" }}\n')
    refused = desk.run("preview")
    assert refused.code == 2 and f"{desk.home}/workstation.toml:1" in refused.err, refused.err
    desk.write(f'base = {{ {base}, commit = "{commit}" }}\n')
    never = desk.run("preview", "--offline")
    assert never.code == 2 and "is not cached" in never.err
    desk.well("provision", "--trust", "workstation.toml")
    assert told(desk, 'kelp --version; echo "$GAUGE"') == ["kelp 3.6.2", "north quay"]
    (repository / "desks/quay.toml").write_text("[variables]\nGAUGE = 'another'\n")
    git("commit", "-q", "-a", "-m", "another")
    assert "Nothing to do" in desk.well("provision", "--offline").out, "a later commit changes nothing here"
    later = git("rev-parse", "HEAD")
    desk.write(f'base = {{ {base}, commit = "{later}" }}\n')
    asked = desk.run("provision")
    assert asked.code == 5 and "GAUGE" in asked.err, "another base is agreed to"
    for wrong in ('file = "../x"', 'file = "/etc/passwd"', "depth = 1"):
        desk.write(f'base = {{ git = "file://{repository}", commit = "{commit}", {wrong} }}\n')
        assert "no repository with a file in it" in desk.run("preview").err
    desk.write(f'base = {{ git = "file://{repository}", commit = "{commit}", file = "none.toml" }}\n')
    assert "has no file none.toml in commit" in desk.run("preview").err


def test_one_manifest_in_place_of_another_is_asked_about_with_the_line_for_both(desk: Desk) -> None:
    base = of_team(desk)
    desk.write('as-root = "allowed"\n[shells]\nuse = ["bash"]\n[variables]\nDEPTH = "12"\n')
    desk.well("provision")
    asked = desk.run("provision", "-m", str(base), "--trust", str(base))
    assert asked.code == 5 and "DEPTH" in asked.err
    assert 'to have both: base = "~/workstation.toml"' in asked.err
    assert told(desk, 'echo "$DEPTH"') == ["12"]


def test_parts_for_other_machines_are_previewed_and_not_made_here(desk: Desk) -> None:
    of_team(desk, OWN + '[on."linux-s390x"]\n')
    assert "not a condition" in desk.run("preview").err
    own = (
        OWN
        + '[on."host:mast-*".variables]\nMAST = "7"\n[on."user:nobody-here".runtimes.kelp]\nwant = "4.2"\n'
    )
    of_team(desk, own)
    here = desk.well("preview", "-v").out
    assert "MAST" not in here and "kelp 3.6.2" in here
    there = desk.well("preview", "--as", "host:mast-2, user:nobody-here").out
    assert "MAST" in there and "kelp 4.2.1" in there and "host:mast-2, user:nobody-here" in there
    desk.well("provision", "--trust", "workstation.toml")
    assert "kelp 4.2.1" in desk.well("preview", "--as", "user:nobody-here").out, "another machine is empty"
    wrong = desk.run("preview", "--as", "mars")
    assert wrong.code == 2 and "'mars' is not a machine" in wrong.err
