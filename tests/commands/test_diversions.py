"""What leads a package tool elsewhere is seen by survey and verify, with file and line, and not drafted."""

from __future__ import annotations

import pytest

from tests.conftest import Desk

pytestmark = [pytest.mark.needs("bash", "zsh"), pytest.mark.sees_system]
SHELLS = '[shells]\nuse = ["bash", "zsh"]\n'
DIVERTED = """\
[recipes.kelp.diverted]
KELP_PATH = "kelp takes packages from there first"
KELP_QUIET = "kelp says nothing"
[[recipes.kelp.diverting-files]]
file = "~/.kelprc"
pattern = '^\\s*prefix\\s*='
what = "kelp-pack installs into another folder"
"""


@pytest.fixture
def astray(desk: Desk) -> Desk:
    desk.write("quiet = no\n  prefix = /elsewhere\n", ".kelprc")
    desk.write('TIDE=high\nexport KELP_PATH="$HOME/old-packages"\n', ".bashrc")
    desk.wants(SHELLS + '[variables]\nKELP_QUIET = "yes"\n', f'{DIVERTED}[runtimes.kelp]\nwant = "4.2.1"\n')
    return desk


def test_survey_names_the_lines(astray: Desk) -> None:
    found = {
        (each["file"], each["line"]): (each["what"], each["fix"])
        for each in astray.well("survey", "--json").json["troubles"]
    }
    assert found["~/.kelprc", 2] == ("kelp-pack installs into another folder", "delete ~/.kelprc:2")
    assert found["~/.bashrc", 2] == (
        "KELP_PATH is set: kelp takes packages from there first",
        "delete ~/.bashrc:2",
    )


def test_verify_notes_them_and_nothing_fails(astray: Desk) -> None:
    astray.well("provision")
    told = astray.well("verify", "--json").json
    trace = "zesty-anchor trace '$KELP_PATH' shows the line"
    assert told["notes"] == [
        f"KELP_PATH is set in bash: kelp takes packages from there first; {trace}",
        "~/.kelprc:2: kelp-pack installs into another folder",
    ], "what the manifest sets is no diversion"
    assert told["ok"] and "~/.bashrc:2" in astray.well("trace", "$KELP_PATH").out


def test_a_draft_leaves_them_out(desk: Desk) -> None:
    desk.write('export GAUGE=north\nexport NODE_PATH="$HOME/old-packages"\n', ".bashrc")
    (desk.home / "old-packages").mkdir()
    drafted = desk.well("draft", "-").out
    assert 'GAUGE = "north"' in drafted
    assert f"# NODE_PATH = {desk.home}/old-packages, by ~/.bashrc:2, is left out: node looks" in drafted
