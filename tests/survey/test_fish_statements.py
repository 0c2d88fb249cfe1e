"""Statements of fish that exist for an old install or a variable alone; real fish takes them apart and reads
what is left.
"""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

import pytest

from tests.conftest import SHELLS, is_root
from zesty_anchor.shells.fish_tree import FishParser
from zesty_anchor.survey.startup.fish_statements import fish_statements_about
from zesty_anchor.survey.startup.places import Places
from zesty_anchor.survey.startup.statement import Statement, without

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
    "eval (~/old-kelp/bin/kelp init)\n",
    "set -gx KELP_ROOT (~/old-kelp/bin/kelp where)\n",
    "contains ~/old-kelp/bin $PATH\nor set -gx PATH ~/old-kelp/bin $PATH\n",
    "test -d ~/old-kelp && fish_add_path ~/old-kelp/bin &>/dev/null\n",
    "abbr -a k ~/old-kelp/bin/kelp\n",
    "set -gx KELP_HOME ~/old-kelp\nfish_add_path {$KELP_HOME}/bin\nset -e KELP_HOME\n",
    "switch (uname)\n  case Linux\n    fish_add_path ~/old-kelp/bin\nend\n",
    "if not set -q KELP_DONE; fish_add_path ~/old-kelp/bin; end\n",
    "begin\n  set -l f ~/old-kelp/hook.fish\n  source $f\nend\n",
]
KEPT = [
    "function kelp\n  ~/old-kelp/bin/kelp $argv\nend\n",
    "echo ~/old-kelp/bin\n",
    "~/old-kelp/bin/kelp watch &\n",
    "fish_add_path ~/old-kelp/bin >~/log\n",
    "TIDE=high fish_add_path ~/old-kelp/bin\n",
    "set -gx NOTE (~/old-kelp/bin/kelp note; date)\n",
    "fish_add_path ~/old-kelp/bin; set -gx TIDE high\n",
]
INSIDE = [
    ("if status is-interactive\n  {cut}  set -gx TIDE high\nend\n", "fish_add_path ~/old-kelp/bin\n"),
    (
        "if true\n  if true\n    set -g A 1\n  {cut}  end\n  # mine\n  echo\nend\n",
        "alias kelp ~/old-kelp/bin/kelp\n",
    ),
    ("if true\n{cut}  # mine\n  echo\nend\n", "  while true\n    fish_add_path ~/old-kelp/bin\n  end\n"),
    ("function fish_prompt\n{cut}  echo '> '\nend\n", "  set -l k ~/old-kelp/bin/kelp # the old one\n"),
    (
        "switch (uname)\n  case Linux\n  {cut}    echo\n  case '*'\n    echo\nend\n",
        "  source ~/old-kelp/hook.fish\n",
    ),
    ("if test -e ~/.quay\n  echo\nelse if true\n  {cut}end\n", "fish_add_path ~/old-kelp/bin\n"),
]
"""Blocks that do more, and what is cut out of them."""
NOT_MEANT = ["# fish_add_path ~/old-kelp/bin\n", "fish_add_path ~/old-kelpie/bin\n", "set -gx NOTE 'a # b'\n"]


VARIABLES = [
    ("set -gx KELP_HOME /opt/kelp\n", ""),
    ("set --global --export KELP_HOME /opt/kelp # old\nfish_add_path $KELP_HOME/bin\n", ""),
    ("set -q KELP_HOME; or set -gx KELP_HOME /opt/kelp\n", ""),
    (
        "if status is-login\n  set -gx KELP_HOME ~/k\n  set -gx TIDE high\nend\n",
        "if status is-login\n  set -gx TIDE high\nend\n",
    ),
    ("set -gx NOTE $KELP_HOME and more\n", None),
    ("set -gx KELP_HOME (date)\n", None),
]


def about(content: bytes) -> list[Statement]:
    return fish_statements_about(
        content, Places(HOME, [HOME / "old-kelp"]), parser=FishParser(SHELLS["fish"])
    )


def fish_reads(content: bytes, folder: Path) -> bool:
    file = folder / "config.fish"
    file.write_bytes(content)
    return subprocess.run([SHELLS["fish"], "--no-execute", str(file)], check=False).returncode == 0


@pytest.mark.needs("fish")
@pytest.mark.parametrize("text", CUT)
def test_what_serves_the_folder_alone_is_cut(text: str, tmp_path: Path) -> None:
    content = (HEAD + text + TAIL).encode()
    left = without(content, about(content))
    assert left.decode() == HEAD + TAIL
    assert fish_reads(left, tmp_path)


@pytest.mark.needs("fish")
@pytest.mark.parametrize(("block", "cut"), INSIDE)
def test_what_serves_it_inside_a_block_that_does_more_is_cut_out(
    block: str, cut: str, tmp_path: Path
) -> None:
    content = (HEAD + block.format(cut=cut) + TAIL).encode()
    left = without(content, about(content))
    assert left.decode() == HEAD + block.replace("  {cut}", "").replace("{cut}", "") + TAIL
    assert fish_reads(left, tmp_path)


@pytest.mark.needs("fish")
@pytest.mark.parametrize("text", KEPT)
def test_what_does_more_is_shown(text: str) -> None:
    content = (HEAD + text + TAIL).encode()
    found = about(content)
    assert [(each.line, each.serves) for each in found] == [(5, False)]
    assert without(content, found) == content


@pytest.mark.needs("fish")
def test_a_condition_that_speaks_of_the_folder_is_shown_where_its_block_stays() -> None:
    content = b"if test -d ~/old-kelp\n  fish_add_path ~/old-kelp/bin\n  set -gx TIDE high\nend\n"
    found = about(content)
    assert [(each.line, each.serves) for each in found] == [(2, True), (1, False)]
    assert without(content, found) == b"if test -d ~/old-kelp\n  set -gx TIDE high\nend\n"


@pytest.mark.needs("fish")
@pytest.mark.parametrize("text", NOT_MEANT)
def test_what_speaks_of_something_else_is_not_found(text: str) -> None:
    assert not about((HEAD + text + TAIL).encode())


@pytest.mark.needs("fish")
def test_what_fish_cannot_read_is_shown_by_the_line() -> None:
    content = b"if true\n# fish_add_path ~/old-kelp/bin\nfish_add_path ~/old-kelp/bin\n"
    assert [(each.line, each.serves) for each in about(content)] == [(3, False)]


@pytest.mark.needs("fish")
@pytest.mark.parametrize(("text", "left"), VARIABLES)
def test_a_variable_goes_with_what_holds_it_alone(text: str, left: str | None, tmp_path: Path) -> None:
    content = (HEAD + text + TAIL).encode()
    found = fish_statements_about(
        content, Places(HOME, names=["KELP_HOME"]), parser=FishParser(SHELLS["fish"])
    )
    assert [each.serves for each in found if left is None] == ([False] if left is None else [])
    assert without(content, found).decode() == HEAD + (text if left is None else left) + TAIL
    assert fish_reads(without(content, found), tmp_path)


@pytest.mark.needs("fish")
def test_bytes_that_are_no_utf8_stay_where_they_are() -> None:
    content = b"set -gx NOTE 'mar\xe9e'\nfish_add_path ~/old-kelp/bin # \xe9\nset -gx LATER 1\n"
    assert without(content, about(content)) == b"set -gx NOTE 'mar\xe9e'\nset -gx LATER 1\n"


AS_ANOTHER = """
import os, sys
from pathlib import Path
from zesty_anchor.shells.fish_tree import FishParser
from zesty_anchor.shells.syntax import passes
os.setgroups([]); os.setresgid(4242, 4242, 4242); os.setresuid(4242, 4242, 4242)
tree = FishParser(sys.argv[1]).tree(b"if true\\n  set x 1\\nend\\n")
print(tree and [node.text for node in tree.walk() if node.text], passes((sys.argv[1], "--no-execute"), b"if true\\n"))
"""


@pytest.mark.needs("fish")
@pytest.mark.skipif(not is_root(), reason="becoming somebody else needs root")
def test_somebody_without_a_home_of_fish_is_served_as_well() -> None:
    """fish complains at length where it finds no home; that must not be taken for what it says."""
    done = subprocess.run(
        [sys.executable, "-c", AS_ANOTHER, SHELLS["fish"]], env={"PATH": "/usr/bin:/bin"},
        capture_output=True, text=True, check=False
    )  # fmt: skip
    expected = (
        "['if', 'true', 'set', 'x', '1', 'end'] (False, '(line 1): Missing end to balance this if"
        " statement')\n"
    )
    assert done.stdout == expected, done.stderr
