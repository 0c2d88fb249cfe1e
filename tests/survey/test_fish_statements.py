"""Statements of fish that exist for an old install alone; real fish reads what is left."""

from __future__ import annotations

import subprocess
from pathlib import Path

import pytest

from tests.conftest import SHELLS
from zesty_anchor.survey.fish_statements import fish_statements_about
from zesty_anchor.survey.statements import without

HOME = Path("/home/desk")
HEAD = "set -gx EDITOR vi # mine\nfunction quay\n  echo north\nend\n"
TAIL = "if status is-interactive\n  abbr t tide\nend\nset -gx LATER $EDITOR\n"
CUT = [
    "fish_add_path ~/old-kelp/bin\n",
    "fish_add_path -g --prepend $HOME/old-kelp/bin ~/old-kelp/sbin\n",
    "set -gx PATH ~/old-kelp/bin $PATH\n",
    "set -Ua fish_user_paths ~/old-kelp/bin\n",
    'set -gx KELP_HOME "$HOME/old-kelp"\nset -gx PATH $KELP_HOME/bin $PATH\n',
    "test -d ~/old-kelp; and set -gx PATH ~/old-kelp/bin $PATH\n",
    "test -r ~/old-kelp/hook.fish\nand source ~/old-kelp/hook.fish\n",
    "if test -d ~/old-kelp/bin\n  fish_add_path ~/old-kelp/bin\n  source ~/old-kelp/hook.fish\nend\n",
    "~/old-kelp/bin/kelp init fish | source\n",
    "alias kelp ~/old-kelp/bin/kelp\n",
    'alias kelp="~/old-kelp/bin/kelp --quiet"  # the old one\n',
    "for f in ~/old-kelp/hooks/*.fish\n  source $f\nend\n",
    "set -gx PATH ~/old-kelp/bin \\\n  $PATH\n",
]
KEPT = [
    "fish_add_path ~/old-kelp/bin ~/other/bin\n",
    "set -gx PATH ~/old-kelp/bin ~/other $PATH\n",
    "function kelp\n  ~/old-kelp/bin/kelp $argv\nend\n",
    "if test -d ~/old-kelp\n  fish_add_path ~/old-kelp/bin\n  set -gx TIDE high\nend\n",
    "echo ~/old-kelp/bin\n",
]
NOT_MEANT = ["# fish_add_path ~/old-kelp/bin\n", "fish_add_path ~/old-kelpie/bin\n", "set -gx NOTE 'a # b'\n"]


@pytest.mark.needs("fish")
@pytest.mark.parametrize("text", CUT)
def test_what_serves_the_folder_alone_is_cut(text: str, tmp_path: Path) -> None:
    content = (HEAD + text + TAIL).encode()
    left = without(content, fish_statements_about(content, HOME / "old-kelp", HOME))
    assert left.decode() == HEAD + TAIL
    file = tmp_path / "config.fish"
    file.write_bytes(left)
    assert subprocess.run([SHELLS["fish"], "--no-execute", str(file)], check=False).returncode == 0


@pytest.mark.parametrize("text", KEPT)
def test_what_does_more_is_shown(text: str) -> None:
    content = (HEAD + text + TAIL).encode()
    found = fish_statements_about(content, HOME / "old-kelp", HOME)
    assert [(each.line, each.serves) for each in found] == [(5, False)]
    assert without(content, found) == content


@pytest.mark.parametrize("text", NOT_MEANT)
def test_what_speaks_of_something_else_is_not_found(text: str) -> None:
    assert not fish_statements_about((HEAD + text + TAIL).encode(), HOME / "old-kelp", HOME)
