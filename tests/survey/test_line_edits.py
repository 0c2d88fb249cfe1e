"""The statement of a line, removed whole or run at a terminal only, in each language."""

from __future__ import annotations

import pytest

from tests.conftest import SHELLS as PROGRAMS
from zesty_anchor.shells.fish_tree import FishParser
from zesty_anchor.shells.known import SHELLS
from zesty_anchor.survey.startup.line_edits import guarded, removed

REMOVED = [
    ("bash", "a=1\nalias kelp=true\nb=2\n", 2, "a=1\nb=2\n"),
    ("bash", "kelp() {\n  true\n}\nx\n", 1, "x\n"),
    ("bash", "f() {\n  echo hi\n  kelp\n}\nf\n", 2, "f() {\n  kelp\n}\nf\n"),
    ("zsh", "if true; then\n  alias kelp=x\nfi\n", 2, "if true; then\n  :\nfi\n"),
    ("zsh", "if true; then\n  alias kelp=x\n  b\nfi\n", 2, "if true; then\n  b\nfi\n"),
    ("ksh", "a; alias kelp=xyz; b\n", 1, "a; :; b\n"),
    ("bash", "case $- in *i*) exit;; esac\nb\n", 1, "b\n"),
    ("bash", "if true; then\n", 1, ""),
    ("bash", "export A='x\ny'\nb\n", 2, "b\n"),
    ("bash", "a\nb", 2, "a\n"),
    ("fish", "function kelp\n  true\nend\nb\n", 1, "b\n"),
    ("fish", "if true\n set -gx A b\nend\nb\n", 2, "if true\nend\nb\n"),
    ("tcsh", "setenv A b\nif ( 1 ) then\n alias kelp x\nendif\n", 2, "setenv A b\n"),
    ("tcsh", "setenv A b\nif ( 1 ) then\n alias kelp x\nendif\n", 3, "setenv A b\nif ( 1 ) then\nendif\n"),
    ("tcsh", "setenv A \\\n b\nx\n", 1, "x\n"),
]
GUARDED = [
    ("bash", "a\necho hi\n", 2, "a\n[ -t 1 ] && echo hi\n"),
    ("bash", "kelp() {\n  true\n}\n", 1, None),
    ("zsh", "if true; then\n  echo hi\nfi\n", 2, "if true; then\n  [ -t 1 ] && echo hi\nfi\n"),
    ("fish", "echo hi\n", 1, "isatty stdout; and echo hi\n"),
    ("tcsh", "  echo hi\n", 1, "  if ( -t 1 ) echo hi\n"),
    ("bash", "a\n\nb\n", 2, None),
]


def parser() -> FishParser:
    return FishParser(PROGRAMS["fish"])


@pytest.mark.needs("fish")
@pytest.mark.parametrize(("shell", "before", "line", "after"), REMOVED)
def test_a_statement_goes_whole(shell: str, before: str, line: int, after: str) -> None:
    assert removed(before.encode(), line, SHELLS[shell], parser) == after.encode()


@pytest.mark.needs("fish")
@pytest.mark.parametrize(("shell", "before", "line", "after"), GUARDED)
def test_a_statement_runs_at_a_terminal_only(shell: str, before: str, line: int, after: str | None) -> None:
    found = guarded(before.encode(), line, SHELLS[shell], parser)
    assert found == (None if after is None else after.encode())
