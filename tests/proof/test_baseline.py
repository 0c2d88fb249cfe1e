"""What failed before anything was changed: marked, kept, compared, and told in short. Pure."""

from __future__ import annotations

from zesty_anchor.engine.outcome import ChangeReport, Outcome
from zesty_anchor.proof.baseline import baseline_of, compared, kept, marked, notices_of
from zesty_anchor.proof.result import CheckResult, Proof, ShellResult, in_short
from zesty_anchor.proof.starts import start_checks
from zesty_anchor.shells.fresh import Answers
from zesty_anchor.shells.reading import INTERACTIVE, LOGIN

KELP = CheckResult("kelp is found", False, "/shelf/kelp", "/usr/bin/kelp", about="kelp")
STUCK = CheckResult("it starts", False, "a shell that takes commands", "no command within 15 s")
NOISE = CheckResult("it prints nothing", False, "(nothing)", "tide of 12:30")
WELL = CheckResult("$GAUGE", True, "north", "north", about="$GAUGE")


def proof(*checks: CheckResult, shell: str = "bash") -> Proof:
    ok = not any(check.decides for check in checks)
    return Proof(ok, (ShellResult(shell, "login", ok, 5.0, checks),))


def test_what_was_so_before_decides_nothing_and_is_told_apart() -> None:
    found = marked(proof(KELP, NOISE, WELL), lambda result, check: check.name == NOISE.name)
    assert not found.ok and [check.name for _, check in found.failures] == ["kelp is found"]
    assert [check.name for _, check in found.earlier] == ["it prints nothing"]
    assert marked(proof(NOISE, WELL), lambda result, check: True).ok


def test_only_the_same_failure_was_so_before() -> None:
    kept = baseline_of(marked(proof(NOISE), lambda result, check: True))
    again = CheckResult("it prints nothing", False, "(nothing)", "tide of 18:45")
    other = CheckResult("it prints nothing", False, "(nothing)", "low tide")
    assert compared(proof(again), kept).ok, "numbers, times among them, may be others"
    assert not compared(proof(other), kept).ok
    assert not compared(proof(again, shell="zsh"), kept).ok
    assert not compared(proof(KELP), kept).ok


def test_what_broke_later_does_not_come_into_the_baseline() -> None:
    first = marked(proof(NOISE), lambda result, check: True)
    both = marked(proof(NOISE, STUCK), lambda result, check: True)
    known = kept(first, None)
    assert kept(both, known) == known and len(kept(both, None)) == 2
    assert kept(proof(WELL), known) == {}


def test_of_a_shell_that_takes_no_command_that_alone_is_told() -> None:
    found = marked(proof(STUCK, KELP, NOISE), lambda result, check: True)
    assert [check.name for check in in_short(found.earlier)] == ["it starts"]
    assert notices_of(found) == [
        "already so before this run: 'it starts' failed in bash (login): no command within 15 s"
    ]


def test_what_a_start_says_counts_where_it_is_about_our_files() -> None:
    said = (
        b"Welcome to the desk\n/h/.local/share/zesty-anchor/shell/environment.bash: line 3: x: command not"
        b" found\n"
    )
    for text, ok, before in ((b"", True, False), (b"Welcome\n", False, True), (said, False, False)):
        check = start_checks(LOGIN, Answers((), 5.0, text), 0, "/h/.local/share/zesty-anchor")[1]
        assert (check.ok, check.before) == (ok, before), text
    found = start_checks(INTERACTIVE, Answers((), 5.0, b"bash: tide: command not found\n"), 0, "/h/x")[1]
    assert (found.ok, found.before) == (False, True)


def test_what_a_run_was_done_for_decides_whether_it_was_well() -> None:
    failing = proof(KELP, WELL)
    assert not Outcome((), failing).well
    assert not Outcome((), failing, about=frozenset({"kelp"})).well
    assert Outcome((), failing, about=frozenset({"coral"})).well
    broken = ChangeReport("version", "coral 11", "install", "", "failed")
    assert not Outcome((broken,), failing, about=frozenset({"coral"})).well
    assert not Outcome((), None, about=frozenset({"coral"})).well
