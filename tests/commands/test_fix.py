"""verify --fix: a fix is offered only after it helped in a copy of the home; what is taken is one run."""

from __future__ import annotations

from typing import Any

import pexpect
import pytest

from tests.conftest import PROGRAM, Desk
from zesty_anchor.system.host import login_path

pytestmark = pytest.mark.needs("bash", "zsh")


@pytest.fixture
def broken(desk: Desk) -> Desk:
    """A provisioned home in which an alias hides kelp, a line prints, and one in a block does both."""
    desk.wants()
    desk.write("# mine\n", ".bashrc")
    desk.well("provision")
    append(desk, ".bashrc", "alias kelp=true\n")
    append(desk, ".zshenv", "if true; then\n  echo hello\nfi\n")
    return desk


def append(desk: Desk, name: str, text: str) -> None:
    (desk.home / name).write_text((desk.home / name).read_text() + text)


def fix(desk: Desk, *answers: str) -> tuple[int, str]:
    """Run ``verify --fix`` at a terminal, and answer; returns its exit status and all that was shown."""
    environment = {"HOME": str(desk.home), "PATH": login_path(), "LANG": "C.UTF-8", "TERM": "dumb"}
    child: Any = pexpect.spawn(
        str(PROGRAM),
        ["verify", "--fix"],
        env={**environment, "PAGER": "cat"},
        cwd=str(desk.home),
        timeout=60,
        encoding="utf-8",
        dimensions=(50, 200),
    )
    shown = ""
    for answer in answers:
        child.expect(r"\[n\]: |\[y/N\]: ")
        shown += child.before
        child.sendline(answer)
    child.expect(pexpect.EOF)
    shown += child.before
    child.close()
    return child.exitstatus, shown


def test_each_fix_that_is_offered_was_tried(broken: Desk) -> None:
    before = broken.likeness()
    seen = broken.run("verify", "--json")
    assert seen.code == 4
    offered = {each["place"]: each for each in seen.json["fixes"]}
    assert set(offered) == {"~/.bashrc:3", "~/.zshenv:3"}
    assert offered["~/.bashrc:3"]["text"] == "delete ~/.bashrc:3"
    assert "-alias kelp=true" in offered["~/.bashrc:3"]["diff"]
    assert offered["~/.zshenv:3"]["text"] == "write `[ -t 1 ] &&` at the beginning of ~/.zshenv:3"
    assert "+  [ -t 1 ] && echo hello" in offered["~/.zshenv:3"]["diff"]
    assert broken.likeness() == before


def test_what_is_taken_is_done_verified_and_undone(broken: Desk) -> None:
    before = broken.likeness()
    code, shown = fix(broken, "read", "y", "y")
    assert code == 0, shown
    assert "-alias kelp=true" in shown, "the diff, read before the answer"
    assert (broken.home / ".zshenv").read_text().endswith("if true; then\n  [ -t 1 ] && echo hello\nfi\n")
    assert "alias" not in (broken.home / ".bashrc").read_text()
    broken.well("verify")
    last = broken.well("undo", "--list", "--json").json["runs"][0]
    assert sorted(last["changes"]) == ["edit ~/.bashrc", "edit ~/.zshenv"]
    broken.well("undo")
    assert broken.likeness() == before


def test_what_is_left_stays(broken: Desk) -> None:
    zshenv = (broken.home / ".zshenv").read_bytes()
    code, shown = fix(broken, "y", "n")
    assert code == 4, shown
    assert "alias" not in (broken.home / ".bashrc").read_text()
    assert (broken.home / ".zshenv").read_bytes() == zshenv
    left = broken.run("verify", "--json").json["fixes"]
    assert [each["place"] for each in left] == ["~/.zshenv:3"]


def test_yes_repairs_only_what_is_ours(broken: Desk) -> None:
    bashrc = (broken.home / ".bashrc").read_bytes()
    generated = broken.home / ".local/share/zesty-anchor/shell/environment.bash"
    wrote = generated.read_bytes()
    generated.write_text("")
    assert broken.run("verify", "--fix").code == 5, "nobody can be asked"
    assert generated.read_text() == ""
    assert broken.run("verify", "--fix", "--yes").code == 4
    assert generated.read_bytes() == wrote
    assert (broken.home / ".bashrc").read_bytes() == bashrc


def test_a_fix_that_would_break_something_else_is_not_offered(desk: Desk) -> None:
    """The statement that prints also sets what a check needs, and cannot be run at a terminal alone."""
    desk.wants('[[checks]]\nname = "the tide"\nrun = "echo $TIDE"\nexpect = "high"\nshells = ["zsh"]\n')
    desk.write("tide() {\n  echo hello\n  export TIDE=high\n}\ntide\n", ".zshenv")
    desk.run("provision")
    seen = desk.run("verify", "--json").json
    assert [each["text"] for each in seen["fixes"] if "TIDE" in each["diff"]] == []


def test_two_fixes_of_one_file_are_put_together(desk: Desk) -> None:
    desk.wants('[variables]\nGAUGE = "north"\n')
    desk.write("# mine\n", ".bashrc")
    desk.well("provision")
    append(desk, ".bashrc", "kelp() {\n  true\n}\nTIDE=1\nalias kelp=true\n")
    code, shown = fix(desk, "y")
    seen = desk.run("verify", "--json").json
    while seen["fixes"]:
        code, shown = fix(desk, *["y"] * len(seen["fixes"]))
        seen = desk.run("verify", "--json").json
    assert code == 0, shown
    rest = (desk.home / ".bashrc").read_text()
    assert "kelp" not in "".join(row for row in rest.splitlines() if "zesty-anchor" not in row)
    assert "TIDE=1\n" in rest
