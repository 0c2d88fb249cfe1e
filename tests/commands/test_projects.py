"""The folders that pin versions: noted as they are entered, listed, and forgotten."""

from __future__ import annotations

import shutil

import pytest

from tests.conftest import Answer, Desk
from zesty_anchor.files.home_move import HomeMove
from zesty_anchor.files.own_folders import is_ours
from zesty_anchor.planning.projects import follow, forget, note, seen

pytestmark = pytest.mark.needs("bash", "zsh", "fish")
BOTH = '[runtimes.kelp]\nwant = "4.2.1"\nalso = ["3.6.2"]\n'


@pytest.fixture
def pinning(desk: Desk) -> Desk:
    desk.wants('[shells]\nuse = ["bash", "zsh", "fish"]\n', BOTH)
    desk.well("provision")
    desk.write("3.6\n", "tides/.kelp-version")
    desk.write("4.1\n", "gauge/.kelp-version")
    return desk


def listed(desk: Desk, *words: str) -> dict[str, tuple[str, str, str, str]]:
    found = desk.well("projects", "--json", *words).json["projects"]
    assert found == sorted(found, key=lambda each: each["seen_at"], reverse=True)
    return {
        each["folder"]: (pin["file"], pin["want"], pin["version"], pin["newer"])
        for each in found
        for pin in each["pins"]
    }


def test_a_folder_that_a_shell_or_a_command_entered_is_listed(pinning: Desk) -> None:
    assert pinning.well("projects").out == "No folder with a pin was entered yet.\n"
    pinning.shell("zsh", f"cd {pinning.home}/tides; kelp --version", "-i")
    assert listed(pinning) == {"~/tides": ("~/tides/.kelp-version:1", "3.6", "3.6.2", "")}
    assert pinning.run("with", "--", "kelp", cwd=pinning.home / "gauge").code == 127
    assert set(listed(pinning)) == {"~/tides", "~/gauge"}
    shown = pinning.well("projects").out.splitlines()
    assert shown[0] == "2 folders with 2 pins; 1 not installed."
    assert any("~/gauge/.kelp-version:1" in row and "not installed" in row for row in shown)
    assert shown[-1] == "To install: cd ~/gauge && zesty-anchor provision"
    assert listed(pinning, "--newer")["~/gauge"][3] == "4.1.0", "what would serve it"
    assert "not installed, 4.1.0 available" in pinning.well("projects", "--newer").out
    pinning.write("4.1\n", "my gauge/.kelp-version")
    assert pinning.run("with", "--", "kelp", cwd=pinning.home / "my gauge").code == 127
    last = pinning.well("projects").out.splitlines()[-1]
    assert last == "To install: cd ~/'my gauge' && zesty-anchor provision"

    (pinning.home / "tides/.kelp-version").unlink()
    (pinning.home / "my gauge/.kelp-version").unlink()
    shutil.rmtree(pinning.home / "gauge")
    gone = pinning.well("projects", "--json").json["projects"]
    assert [(each["folder"], each["there"]) for each in gone] == [("~/gauge", False)]


def test_a_manifest_may_have_nothing_remembered(pinning: Desk) -> None:
    pinning.run("with", "--", "true", cwd=pinning.home / "tides")
    record = pinning.home / ".local/state/zesty-anchor/projects.jsonl"
    assert "tides" in record.read_text() and "3.6" not in record.read_text()
    pinning.write(pinning.manifest.read_text() + "[projects]\nremember = false\n")
    pinning.well("provision")
    pinning.run("with", "--", "true", cwd=pinning.home / "tides")
    assert not record.exists()
    answer: Answer = pinning.well("projects")
    assert "remember = false" in answer.out


def test_what_is_ours_in_our_folders_is_known_as_that(pinning: Desk) -> None:
    """Behind a person's link to a folder there may be other things too."""
    pinning.shell("bash", f"cd {pinning.home}/tides", "-i")
    for words in (
        ("list", "--newer"),
        ("locate", "kelp", "--stable"),
        ("timing", "--seconds", "1"),
        ("lock",),
    ):
        pinning.run(*words)
    pinning.run("with", "--", "true", cwd=pinning.home / "tides")
    names = [
        path.name
        for place in (".local/share", ".local/state", ".cache")
        for path in (pinning.home / place / "zesty-anchor").iterdir()
    ]
    assert {"projects.jsonl", "program.json", "newer.json", "current", "journal.db", "shelf"} <= set(names)
    assert [name for name in names if not is_ours(name)] == []


def test_a_record_is_followed_cut_short_and_survives_a_bad_line(desk: Desk) -> None:
    state = desk.home
    note(state, [state / "a", state / "b"])
    with (state / "projects.jsonl").open("ab") as file:
        file.write(b'{"folder": 3}\nnot a line\n')
    note(state, [state / "a"])
    assert set(seen(state)) == {str(state / "a"), str(state / "b")}
    follow(state, HomeMove(str(state), "/elsewhere"))
    assert set(seen(state)) == {"/elsewhere/a", "/elsewhere/b"}
    forget(state, ["/elsewhere/a"])
    assert set(seen(state)) == {"/elsewhere/b"}
    forget(state)
    assert seen(state) == {} and not (state / "projects.jsonl").exists()


def test_verify_in_a_project_checks_what_it_pins(pinning: Desk) -> None:
    def failing(folder: str) -> dict[str, set[str]]:
        answer = pinning.run("verify", "--json", cwd=pinning.home / folder)
        shells = answer.json["shells"]
        named = {(each["shell"], each["context"]): each["checks"] for each in shells}
        found: dict[str, set[str]] = {}
        for (shell, _), checks in named.items():
            for check in checks:
                if "~/" in check["name"]:
                    found.setdefault(f"{check['name']}: {check['ok']}", set()).add(shell)
        assert answer.code == (0 if all(name.endswith("True") for name in found) else 4), answer.err
        return found

    assert failing(".") == {}
    shells = {"bash", "zsh", "fish"}
    assert failing("tides") == {"kelp is 3.6.2 in ~/tides: True": shells}
    assert failing("gauge") == {"kelp 4.1 is installed for ~/gauge: False": {"this machine"}}
    shown = pinning.run("verify", cwd=pinning.home / "gauge").out
    assert f"fix        cd '{pinning.home}/gauge' && zesty-anchor provision" in shown, shown
    (pinning.home / "coast/.git").mkdir(parents=True)
    for place, want in (("north", "3.6"), ("south/deep", "4.2"), (".hidden", "9"), ("node_modules/x", "9")):
        pinning.write(f"{want}\n", f"coast/{place}/.kelp-version")
    assert failing("coast") == {
        "kelp is 3.6.2 in ~/coast/north: True": shells,
        "kelp is 4.2.1 in ~/coast/south/deep: True": shells,
    }
    assert failing("coast/south") == {}, "only a repository's root looks below"


def test_a_project_that_a_shell_does_not_follow_fails_by_its_pin(pinning: Desk) -> None:
    pinning.write('PATH="$HOME/mine:$PATH"\nPROMPT_COMMAND=:\n', "mine/.keep")
    fake = pinning.write("#!/bin/sh\necho kelp 9\n", "mine/kelp")
    fake.chmod(0o755)
    rc = pinning.home / ".bashrc"
    rc.write_text(rc.read_text() + f'case $PWD in */tides) PATH="{fake.parent}:$PATH" ;; esac\n')
    answer = pinning.run("verify", "--shell", "bash", cwd=pinning.home / "tides")
    assert answer.code == 4 and "kelp is 3.6.2 in ~/tides" in answer.out, answer.out
    assert "~/tides/.kelp-version:1" in answer.out
    assert f"cd '{pinning.home}/tides' && zesty-anchor trace kelp" in answer.out


def test_with_all_runs_in_each_folder_that_pins(pinning: Desk) -> None:
    for place, want in (("north", "3.6"), ("south/deep", "4.2")):
        pinning.write(f"{want}\n", f"coast/{place}/.kelp-version")
    at = pinning.home / "coast"
    done = pinning.run("with", "--all", "--", "sh", "-c", "kelp --version; basename $PWD", cwd=at)
    assert done.out.split("\n") == ["kelp 3.6.2", "north", "kelp 4.2.1", "deep", ""], done.err
    assert done.err.splitlines() == ["in ~/coast/north", "in ~/coast/south/deep"]
    ends = pinning.run("with", "--all", "--", "sh", "-c", "case $PWD in */north) exit 7 ;; esac", cwd=at)
    assert ends.code == 7 and ends.err.count("in ~/") == 2, "the others run all the same"
    assert pinning.run("with", "--all", "--", "kelp", cwd=pinning.home / "tides/..").code == 127, (
        "4.1 is missing"
    )
    (at / "empty").mkdir()
    none = pinning.run("with", "--all", "--", "kelp", cwd=at / "empty")
    assert none.code == 2 and "no folder here or below pins a version" in none.err
