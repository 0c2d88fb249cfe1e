"""What a start costs, and which lines cost it."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.conftest import Desk
from zesty_anchor.survey.startup.start_cost import LineCost, line_costs, spread, written_text
from zesty_anchor.survey.startup.startup_trace import StartupTrace
from zesty_anchor.survey.startup.step import Step


def trace(*steps: tuple[str, int, float, str], ended: float) -> StartupTrace:
    listed = tuple(Step(file, line, at, text, "/bin") for file, line, at, text in steps)
    return StartupTrace("bash", "interactive", listed, ended=ended)


def test_a_line_costs_what_passes_until_the_next_less_what_telling_it_takes() -> None:
    """A loop's turns count together; what stands in files of ours is counted apart."""
    told = trace(
        ("/h/.bashrc", 1, 0.000, "alias a=b"),
        ("/h/.bashrc", 2, 0.001, "sleep 0.08"),
        ("/h/.bashrc", 3, 0.082, "echo 1"),
        ("/h/.bashrc", 3, 0.083, "echo 2"),
        ("/d/environment.bash", 4, 0.084, "export X=1"),
        ("/d/environment.bash", 5, 0.085, "za__look"),
        ("/h/.bashrc", 5, 0.088, "last"),
        ended=0.109,
    )
    lines, ours = line_costs([told, told], Path("/d"))
    assert [(line.line, round(line.milliseconds)) for line in lines[:2]] == [(2, 80), (5, 20)]
    assert round(ours) == 2
    assert {line.line for line in lines} == {1, 2, 3, 5}


def test_the_median_lies_in_its_interval() -> None:
    found = spread("as it is", [float(n) for n in range(1, 102)])
    assert found.median == 51 and found.low < 51 < found.high and found.starts == 101
    assert 0.15 < (found.high - found.low) / 101 < 0.25
    assert spread("x", [4.0]).low == spread("x", [4.0]).high == 4.0


def test_the_line_is_shown_as_it_is_written(tmp_path: Path) -> None:
    (tmp_path / "rc").write_text('a=1\neval "$(slow)"\n')
    assert written_text(LineCost(str(tmp_path / "rc"), 2, 9.0, "eval x=1")) == 'eval "$(slow)"'
    assert written_text(LineCost("/nowhere", 2, 9.0, "eval x=1")) == "eval x=1"


@pytest.mark.parametrize("shell", [pytest.param(name, marks=pytest.mark.needs(name)) for name in ("bash", "zsh")])
def test_the_dearest_lines_come_first_each_with_its_mend(desk: Desk, shell: str) -> None:
    busy = "i=0; while [ $SECONDS_ -gt $i ]; do i=$((i+1)); done"
    desk.write(f"SECONDS_=1\n/bin/sleep 0.12\nX=$(/bin/sleep 0.06)\n{busy}\n/bin/sleep 0.03\n", f".{shell}rc")
    before = desk.likeness()
    answer = desk.well("timing", "--shell", shell, "--json").json
    (found,) = answer["shells"]
    lines = [line["line"] for line in found["lines"] if line["file"].endswith(f".{shell}rc")]
    assert lines[:3] == [2, 3, 5]
    as_it_is, without_ours, bare = found["starts"]
    assert as_it_is["median"] > bare["median"] + 150 and without_ours["median"] > bare["median"] + 150
    assert as_it_is["low"] <= as_it_is["median"] <= as_it_is["high"] and as_it_is["starts"] >= 15
    assert desk.likeness() == before
    shown = desk.well("timing", "--shell", shell).out
    assert f"~/.{shell}rc:2" in shown and "put it off" in shown and "keep what the command prints" in shown


def test_a_shell_that_is_not_here(desk: Desk) -> None:
    assert desk.run("timing", "--shell", "kelpsh").code == 2
