"""Explaining a name in a few sentences."""

from __future__ import annotations

import pytest

from tests.commands.conftest import BOTH
from tests.conftest import Desk

pytestmark = [pytest.mark.needs("bash", "zsh"), pytest.mark.sees_system]
CHECK = (
    '[[checks]]\nname = "the tide is high"\nrun = "kelp --version"\nexpect = "kelp *"\nshells = ["bash"]\n'
)


def paragraph(desk: Desk, *words: str, folder: str = "") -> str:
    answer = desk.run("explain", *words, cwd=desk.home / folder)
    assert answer.code == 0, answer.out + answer.err
    return answer.out


def test_a_command_is_explained_by_what_decides_it(settled: Desk) -> None:
    here = paragraph(settled, "kelp")
    line = settled.manifest.read_text().splitlines().index('want = "lts"') + 1
    assert f"kelp is 4.2.1 here because ~/workstation.toml:{line} (want lts) makes it the default." in here
    assert "It is installed in ~/.local/share/zesty-anchor/shelf/kelp/4.2.1." in here
    assert "run this version" in here or "runs this version" in here
    assert "Without" not in here
    assert here.rstrip().endswith("More: zesty-anchor trace kelp")

    pinned = paragraph(settled, "kelp", folder="project/deep")
    assert "kelp is 3.6.2 here because ~/project/.kelp-version:1 pins it." in pinned
    assert f"Without the pin it would be 4.2.1, by ~/workstation.toml:{line} (want lts)." in pinned

    settled.environment["ZESTY_ANCHOR_SESSION"] = "kelp=4.1.0"
    try:
        chosen = paragraph(settled, "kelp", folder="project")
    finally:
        del settled.environment["ZESTY_ANCHOR_SESSION"]
    assert "kelp is 4.1.0 here because this session chose it." in chosen
    assert "Without this choice it would be 4.2.1" in chosen


def test_variables_entries_and_files_are_explained(settled: Desk) -> None:
    assert "KELP_AT is set by ~/workstation.toml:" in paragraph(settled, "$KELP_AT")
    assert f"KELP_AT={settled.shelf}/kelp/4.2.1" in paragraph(settled, "KELP_AT")
    assert "~/bin is on PATH in" in paragraph(settled, "~/bin")
    bashrc = paragraph(settled, ".bashrc")
    lines = (settled.home / ".bashrc").read_text().splitlines()
    number = next(n for n, row in enumerate(lines, 1) if row.endswith("# zesty-anchor block"))
    assert "bash reads ~/.bashrc (interactive" in bashrc
    assert f"Line {number} is managed by zesty-anchor" in bashrc
    assert "/nowhere does not exist." in paragraph(settled, "/nowhere")
    assert "No new shell has the variable GONE." in paragraph(settled, "$GONE")


def test_keys_checks_and_statuses_are_explained(desk: Desk) -> None:
    desk.wants(CHECK, BOTH)
    want = paragraph(desk, "runtimes.kelp.want")
    line = desk.manifest.read_text().splitlines().index('want = "lts"') + 1
    assert "The default version" in want
    assert "It is required." in want
    assert f"It is set at ~/workstation.toml:{line}." in want
    assert "set at" not in paragraph(desk, "runtimes.kelp.keep")
    check = paragraph(desk, "the tide is high")
    assert "tests run kelp --version in bash." in check
    assert "must match the glob kelp *." in check
    assert paragraph(desk, "4").startswith("Exit status 4: verify, status: a check failed.")
    found = desk.well("explain", "shells.missing", "--json").json
    assert found["kind"] == "key"
    assert "ask" in found["paragraphs"][0]


def test_what_is_not_installed_or_not_known_is_said(desk: Desk) -> None:
    desk.wants()
    assert "kelp is not installed: ~/workstation.toml:" in paragraph(desk, "kelp")
    unknown = desk.run("explain", "kepl")
    assert unknown.code == 2
    assert "there is no command, variable, file, key or check called 'kepl'" in unknown.err
    assert "did you mean 'kelp'?" in unknown.err
    never = desk.run("explain", "77")
    assert never.code == 2
    assert "its exit statuses are 0, 1, 2" in never.err


def test_it_works_without_a_manifest(desk: Desk) -> None:
    assert "runs /usr/bin/env" in paragraph(desk, "env").replace("run /usr", "runs /usr")
    assert "set at" not in paragraph(desk, "shells.use")


def test_a_key_and_an_exit_status_need_no_manifest_that_is_right(desk: Desk) -> None:
    desk.write('[shells\nuse = "all"\n')
    assert "Which shells are set up" in paragraph(desk, "shells.use")
    assert "Exit status 4" in paragraph(desk, "4")
    wrong = desk.run("explain", "kelp")
    assert wrong.code == 2 and "workstation.toml:1" in wrong.err
