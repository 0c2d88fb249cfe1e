"""Checks of a project: run by new shells that begin in its folder, with the versions that it pins."""

from __future__ import annotations

import pytest

from tests.conftest import Desk

pytestmark = pytest.mark.needs("bash", "zsh", "fish", "tcsh")
BOTH = '[runtimes.kelp]\nwant = "4.2.1"\nalso = ["3.6.2"]\n'
CHECK = '[[checks]]\nname = "tides"\nfolder = "tides"\nrun = "kelp --version"\nexpect = "kelp 3.6.*"\n'


def results(desk: Desk) -> dict[str, tuple[str, bool]]:
    """By shell the context of the check, and whether it passed."""
    return {
        shell["shell"]: (shell["context"], check["ok"])
        for shell in desk.run("verify", "--json").json["shells"]
        for check in shell["checks"]
        if check["name"] == "tides"
    }


@pytest.fixture
def tides(desk: Desk) -> Desk:
    desk.write("3.6\n", "tides/.kelp-version")
    return desk


def test_it_is_run_in_its_folder_with_what_is_pinned_there(tides: Desk) -> None:
    tides.wants('[shells]\nuse = ["bash", "zsh", "fish", "tcsh"]\n' + CHECK, BOTH)
    tides.well("provision")
    assert results(tides) == dict.fromkeys(("bash", "zsh", "fish"), ("in ~/tides", True))
    tides.wants('[shells]\nuse = ["bash", "tcsh"]\n' + CHECK + 'shells = ["tcsh"]\n', BOTH)
    tides.well("provision")
    assert results(tides) == {"tcsh": ("in ~/tides", True)}
    tides.wants('[shells]\nuse = ["bash", "zsh"]\n' + CHECK + "once = true\n", BOTH)
    tides.well("provision")
    assert len(results(tides)) == 1
    tides.wants("[shells]\nuse = []\n" + CHECK, BOTH)
    tides.well("provision")
    assert list(results(tides).values()) == [("programs", True)]


def test_it_fails_by_its_name_where_the_pin_or_the_folder_is_not_so(tides: Desk) -> None:
    tides.wants('[shells]\nuse = ["bash"]\n' + CHECK, BOTH)
    tides.well("provision")
    tides.write("4.2.1\n", "tides/.kelp-version")
    assert results(tides) == {"bash": ("in ~/tides", False)}
    (tides.home / "tides/.kelp-version").unlink()
    (tides.home / "tides").rmdir()
    seen = tides.run("verify")
    assert "change folder of the check 'tides'" in seen.out
    assert seen.code == 4 and "the folder of this check does not exist: ~/tides" in seen.out
    tides.wants('[[checks]]\nname = "tides"\nfolder = "tides"\nport = 80\n')
    assert "checks.folder says something of a command line, and there is none" in tides.run("preview").err


def test_an_upgrade_that_fails_a_projects_own_check_is_undone(tides: Desk) -> None:
    """The pin is of a line, and what runs there wants the old one."""
    tides.write("4\n", "tides/.kelp-version")
    check = CHECK.replace("kelp 3.6.*", "kelp 4.1.0")
    both = '[runtimes.kelp]\nwant = "3.6.2"\nalso = ["4.1.0"]\n'
    tides.wants('[shells]\nuse = ["bash"]\n' + check, both)
    tides.well("provision")
    tides.shell("bash", f"cd {tides.home}/tides; kelp --version", "-i")
    before = tides.run("upgrade", "kelp", "--projects", "--yes")
    assert before.code == 1 and "tides" in before.err + before.out
    assert not (tides.shelf / "kelp/4.2.1").exists()
    tides.wants('[shells]\nuse = ["bash"]\n' + check.replace("4.1.0", "4.*"), both)
    tides.well("provision")
    assert tides.run("upgrade", "kelp", "--projects", "--yes").code == 0
    assert tides.shell("bash", f"cd {tides.home}/tides; kelp --version", "-i").strip() == "kelp 4.2.1"


def test_a_shell_that_does_not_start_is_the_cause_and_not_the_check(tides: Desk) -> None:
    tides.wants('[shells]\nuse = ["bash"]\n' + CHECK, BOTH)
    tides.well("provision")
    rc = tides.home / ".bashrc"
    rc.write_text(rc.read_text() + "read -r -p 'quay? ' quay\n")
    seen = tides.run("verify")
    assert seen.code == 4 and seen.out.startswith("1 cause:"), seen.out
    assert "~/.bashrc:2" in seen.out and "workstation.toml" not in seen.out
