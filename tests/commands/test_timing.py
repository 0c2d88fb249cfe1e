"""What a start costs, and which lines cost it."""

from __future__ import annotations

import io
from pathlib import Path

import msgspec
import pytest

from tests.conftest import Desk
from zesty_anchor.shells.known import SHELLS
from zesty_anchor.show.paint import Paint
from zesty_anchor.show.timing import changed, timing, tree
from zesty_anchor.survey.startup.line_cost import LineCost, fix_for, line_costs, told_by, written_text
from zesty_anchor.survey.startup.line_marks import Statement, marked, measured, undisturbed
from zesty_anchor.survey.startup.past_costs import Timed
from zesty_anchor.survey.startup.shares import fitted, shares
from zesty_anchor.survey.startup.start_cost import ShellCost, Starts, spread
from zesty_anchor.survey.startup.startup_trace import StartupTrace
from zesty_anchor.survey.startup.step import Step


def trace(*steps: tuple[str, int, float, str], ended: float, shell: str = "bash") -> StartupTrace:
    listed = tuple(Step(file, line, at, text, "/bin") for file, line, at, text in steps)
    return StartupTrace(shell, "interactive", listed, ended=ended)


def test_a_line_costs_what_passes_until_the_next_less_what_telling_it_takes() -> None:
    """A loop's turns count together; what stands in files of ours is counted apart."""
    once = trace(
        ("/h/.bashrc", 1, 0.000, "alias a=b"),
        ("/h/.bashrc", 2, 0.001, "sleep 0.08"),
        ("/h/.bashrc", 3, 0.082, "echo 1"),
        ("/h/.bashrc", 3, 0.083, "echo 2"),
        ("/d/environment.bash", 4, 0.084, "export X=1"),
        ("/d/environment.bash", 5, 0.085, "za__look"),
        ("/h/.bashrc", 5, 0.088, "last"),
        ended=0.109,
    )
    told = told_by([once, once], Path("/d"))
    lines = line_costs(told)
    assert [(line.line, round(line.milliseconds)) for line in lines[:2]] == [(2, 80), (5, 20)]
    assert round(told.ours) == 2
    assert {line.line for line in lines} == {1, 2, 3, 5}


def test_what_marks_tell_is_shared_out_as_the_traces_have_it() -> None:
    """A function's lines are part of the line that called it, and those of a file that is read stand under
    the line that read it.
    """
    once = StartupTrace(
        "bash", "interactive",
        (
            Step("/h/.bashrc", 1, 0.00, "slow() { :; }", ""),
            Step("/h/.bashrc", 4, 0.00, "[ 1 ]", ""),
            Step("/h/.bashrc", 5, 0.01, "slow", ""),
            Step("/h/.bashrc", 2, 0.02, "sleep 0.1", "", call="slow 5 /h/.bashrc"),
            Step("/h/.bashrc", 7, 0.12, ". /h/more", ""),
            Step("/h/more", 1, 0.12, "sleep 0.2", ""),
        ),
        ended=0.32,
    )  # fmt: skip
    statements = [
        Statement("/h/.bashrc", 1, 3, defines=True),
        Statement("/h/.bashrc", 4, 6),
        Statement("/h/.bashrc", 7, 7),
        Statement("/h/more", 1, 1),
    ]
    told = told_by([once], Path("/d"), statements)
    found = {
        (line.file, line.line): line
        for line in line_costs(told, {("/h/.bashrc", 4): 0.06, ("/h/more", 1): 0.2})
    }
    called = found["/h/.bashrc", 5]
    assert round(called.milliseconds + found["/h/.bashrc", 4].milliseconds) == 60
    assert [(part.line, part.milliseconds > 40) for part in called.parts] == [(2, True)]
    assert round(found["/h/more", 1].milliseconds) == 200 and found["/h/more", 1].under == "/h/.bashrc:7"
    rows = tree(list(found.values()), str)
    assert [(depth, text) for depth, heading, text, _ in rows if heading] == [
        (0, "/h/.bashrc"),
        (2, "/h/more"),
    ]


def test_marks_stand_on_the_lines_of_statements() -> None:
    text = b"# one\nif true; then\n  a=1\nfi\ncat <<X\nb=2\nX\nc=3; d=4\n"
    found = marked(SHELLS["bash"].clock, {Path("/h/rc"): text}, lambda content: True)
    assert found is not None and [each.line for each in found.statements] == [2, 5, 8]
    copy = found.texts[Path("/h/rc")]
    assert copy.count(b"\n") == text.count(b"\n") and copy.endswith(
        b"za_mark 1 5; cat <<X\nb=2\nX\nza_mark 1 8; c=3; d=4\n"
    )
    assert marked(SHELLS["tcsh"].clock, {Path("/h/rc"): text}, lambda content: True) is None
    refused = marked(SHELLS["bash"].clock, {Path("/h/rc"): text}, lambda content: False)
    assert refused is not None and not refused.texts and not refused.statements
    odd = b"x=$(( 1 / 2.5 ))\nif [[ a -ot b ]]; then\n  (( 1 /\nfi\ny=2\n"
    asked = marked(
        SHELLS["zsh"].clock,
        {Path("/h/rc"): odd},
        lambda content: content.count(b"if") == content.count(b"fi"),
    )
    assert asked is not None and [each.line for each in asked.statements] == [1, 2, 5]


def test_what_a_mark_takes_is_taken_out() -> None:
    told = "1 2 10.000\n1 3 10.011\n2 1 10.012\n1 5 10.033\n" + "".join(
        f"0 {n} {10.05 + n / 1000:.3f}\n" for n in range(9)
    )
    found = measured(told, ["/a", "/b"])
    assert {place: round(cost, 4) for place, cost in found.items()} == {
        ("/a", 2): 0.01, ("/a", 3): 0.0, ("/b", 1): 0.02, ("/a", 5): 0.016,
    }  # fmt: skip
    assert undisturbed([{("/a", 1): cost} for cost in (5.0, 1.0, 1.1, 9.0)]) == {("/a", 1): 1.1}


def test_lines_are_known_again_by_their_texts() -> None:
    was = [LineCost("/rc", 1, 5.0, "a"), LineCost("/rc", 2, 80.0, "b"), LineCost("/rc", 3, 2.0, "c")]
    now = [LineCost("/rc", 7, 5.2, "a"), LineCost("/rc", 8, 20.0, "b"), LineCost("/rc", 9, 9.0, "d")]
    assert [(line, text, round(by)) for _, line, text, by in changed(was, now)] == [
        (8, "b", -60), (9, "d", 9), (0, "c", -2),
    ]  # fmt: skip


def test_the_median_lies_in_its_interval() -> None:
    found = spread("as it is", [float(n) for n in range(1, 102)])
    assert found.median == 51 and found.low < 51 < found.high and found.starts == 101
    assert 0.15 < (found.high - found.low) / 101 < 0.25
    assert spread("x", [4.0]).low == spread("x", [4.0]).high == 4.0


def test_the_line_is_shown_as_it_is_written(tmp_path: Path) -> None:
    (tmp_path / "rc").write_text('a=1\neval "$(slow)"\n')
    assert written_text(str(tmp_path / "rc"), 2, "eval x=1") == 'eval "$(slow)"'
    assert written_text("/nowhere", 2, "eval x=1") == "eval x=1"


BURN = {
    "bash": (
        "burn() { local t=$(( ${EPOCHREALTIME/./} + $1 * 1000 )); while (( ${EPOCHREALTIME/./} < t )); do :;"
        " done; }"
    ),
    "zsh": (
        "zmodload zsh/datetime; "
        "burn() { local t=$(( EPOCHREALTIME + $1 / 1000.0 )); while (( EPOCHREALTIME < t )); do :; done }"
    ),
    "ksh": (
        "function burn { typeset -F6 t; (( t = SECONDS + $1/1000.0 )); while (( SECONDS < t )); do :; done;"
        " }\ntypeset -F6 SECONDS"
    ),
    "fish": (
        "function burn\n  perl -MTime::HiRes=time -e '$t=time+$ARGV[0]/1000; 1 while time<$t' $argv[1]\nend"
    ),
}
FILES = {"bash": ".bashrc", "zsh": ".zshrc", "ksh": ".kshrc", "fish": ".config/fish/config.fish"}


@pytest.mark.parametrize("shell", [pytest.param(name, marks=pytest.mark.needs(name)) for name in BURN])
def test_the_dearest_lines_come_first_each_with_its_fix(desk: Desk, shell: str) -> None:
    """Loops, of which a trace would tell each turn, in a function, in a block and in a file that is read; and
    what a last line takes.
    """
    end = "end" if shell == "fish" else "fi"
    then = "" if shell == "fish" else "; then"
    desk.write("X=$(burn 27)\n" if shell != "fish" else "set X (burn 27)\n", "more")
    text = f"{BURN[shell]}\nburn 48\nif true{then}\n  burn 6\n{end}\n. ~/more\nburn 80\n"
    desk.write(text, FILES[shell])
    first = text[: text.index("burn 48")].count("\n") + 1
    before = desk.likeness()
    (found,) = desk.well("timing", "--shell", shell, "--seconds", "1", "--json").json["shells"]
    assert desk.likeness() == before and found["exact"] is True
    lines = [(Path(line["file"]).name, line["line"]) for line in found["lines"]]
    own = Path(FILES[shell]).name
    assert lines[:4] == [(own, first + 5), (own, first), ("more", 1), (own, first + 2)]
    costs = [line["milliseconds"] for line in found["lines"][:4]]
    assert all(least <= cost for least, cost in zip((79, 47, 26, 5), costs, strict=True)), costs
    as_it_is, without_ours, bare = found["starts"]
    assert as_it_is["median"] > bare["median"] + 140 and without_ours["median"] > bare["median"] + 140
    assert as_it_is["low"] <= as_it_is["median"] <= as_it_is["high"] and as_it_is["starts"] >= 5


def quiet(desk: Desk, *more: str) -> str:
    """What is measured for a second; again while the machine is too noisy for it."""
    for _ in range(10):
        shown = desk.well("timing", "--shell", "bash", "--seconds", "1", *more).out
        if "too noisy" not in shown:
            break
    return shown


def cost(*medians: float, margin: float = 0.5) -> ShellCost:
    ways = ("as it is", "without ours", "without your files")
    starts = tuple(
        Starts(way, median, median - margin, median + margin, 9)
        for way, median in zip(ways, medians, strict=True)
    )
    return ShellCost("bash", starts, (LineCost("/rc", 1, 80.0, "slow"),), 1.0)


def test_the_parts_of_a_start_sum_to_the_whole() -> None:
    found = shares(cost(115.3, 111.9, 2.7))
    assert (found.system, round(found.yours, 1), round(found.ours, 1)) == (2.7, 109.2, 3.4)
    for medians in ((100.0, 120.0, 2.0), (5.0, 9.0, 7.0), (5.0, 1.0, 9.0), (5.0, 4.0, 4.5)):
        parts = msgspec.structs.astuple(shares(cost(*medians)))
        assert sum(parts) == pytest.approx(medians[0]) and min(parts) >= 0, medians


def test_lines_never_sum_to_more_than_their_files_take() -> None:
    lines = (
        LineCost("/home/rc", 1, 90.0, "a"),
        LineCost("/etc/rc", 1, 3.0, "s"),
        LineCost("/home/rc", 2, 30.0, "b"),
    )
    start = msgspec.structs.replace(cost(115.0, 105.0, 5.0), lines=lines)
    assert [round(line.milliseconds, 1) for line in fitted(start)] == [75.0, 3.0, 25.0]
    calm = msgspec.structs.replace(cost(135.0, 130.0, 5.0), lines=lines)
    assert fitted(calm) == lines


def test_where_it_is_too_noisy_nobody_is_blamed() -> None:
    out = io.StringIO()
    timing(Paint(out, "never", {}), Timed((cost(200.0, 180.0, 5.0, margin=113.0),)), str)
    assert "too noisy: ±113 ms" in out.getvalue()
    assert "startup files" not in out.getvalue() and "slow" not in out.getvalue()


@pytest.mark.parametrize(
    ("text", "fix"),
    [
        ('eval "$(tide init)"', "cache the output"),
        ("source <(tide init)", "cache the output"),
        ("tide init | source", "cache the output"),
        (". ~/.tides/all.sh", "it reads that file"),
        ("export TIDE=$(tide now)", "write the value down"),
        ("set -gx TIDE (tide now)", "write the value down"),
        ("setenv TIDE `tide now`", "write the value down"),
        ("for gauge in $(seq 9000); do :; done", "move the loop"),
        ("compinit", "move it into a function"),
        ("evaluate $(tide)", "move it into a function"),
    ],
)
def test_the_fix_follows_from_what_a_line_does(text: str, fix: str) -> None:
    assert fix_for(text).startswith(fix)


@pytest.mark.needs("bash")
def test_a_table_a_tree_and_a_chart(desk: Desk) -> None:
    answer = desk.run("timing", "--shell", "bash", "--chart", "chart.pdf")
    assert answer.code == 2 and ".png or .svg" in answer.err and not (desk.home / ".local").exists()
    desk.write("/bin/sleep 0.12\nX=$(/bin/sleep 0.06)\n", ".bashrc")
    shown = quiet(desk)
    assert "~/.bashrc:1" in shown and "move it into a function" in shown and "write the value down" in shown
    whole = quiet(desk, "-v", "--chart", str(desk.home / "chart.png"))
    assert "  1: /bin/sleep 0.12" in whole and "own files" in whole
    assert (desk.home / "chart.png").read_bytes().startswith(b"\x89PNG")
    assert not (desk.home / ".cache").exists() and not (desk.home / ".config").exists(), (
        "what draws leaves nothing of its own"
    )
    again = quiet(desk, "--since", "--chart", str(desk.home / "chart.svg"))
    assert "; now " in again and (desk.home / "chart.svg").read_text().count("milliseconds") >= 2
    desk.write(":\n", ".bashrc")
    assert "faster" in quiet(desk, "--since")
    survey = desk.well("survey").out
    assert "this line takes" not in survey
    desk.write("/bin/sleep 0.12\n", ".bashrc")
    assert "of each start: /bin/sleep 0.12" in desk.well("survey").out
    desk.well("dismantle", "--yes")
    assert not (desk.home / ".local").exists()


def test_a_shell_that_is_not_here(desk: Desk) -> None:
    assert desk.run("timing", "--shell", "kelpsh").code == 2
