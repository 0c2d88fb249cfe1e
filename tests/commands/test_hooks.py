"""Lines and completions that a recipe or the manifest adds to the generated files."""

from __future__ import annotations

import pytest

from tests.commands.test_contexts import interactive
from tests.conftest import Desk

pytestmark = pytest.mark.needs("bash", "zsh", "fish", "tcsh")
EVERY = '[shells]\nuse = ["bash", "zsh", "fish", "tcsh"]\n'
OWN = """
hooks.fish = 'set -gx STYLE fish'
hooks.bash = 'kelp_style() { printf "%s\\n" "$1"{kelp}; }; kelp_style style='
completions.zsh = "/nowhere"
"""
RECIPE = """
[recipes.kelp.hooks]
sh = "export KELP_STYLE={folder}/style"
tcsh = "setenv KELP_STYLE {folder}/style"
[recipes.kelp.completions]
bash = "complete.bash"
"""


def test_hooks_go_with_the_version_in_use(desk: Desk) -> None:
    desk.wants(EVERY + OWN + RECIPE, '[runtimes.kelp]\nwant = "3.6"\n')
    desk.well("provision")
    (desk.shelf / "kelp/3.6.2/complete.bash").write_text("complete -W 'tide ebb' kelp\n")
    shown = interactive(desk, "bash", "complete -p kelp", {})
    assert "complete -W 'tide ebb' kelp" in shown
    assert f"style={desk.shelf}/kelp/3.6.2" in shown
    assert desk.shell("fish", "echo $STYLE") == "fish\n"
    for shell in ("zsh", "tcsh"):
        assert desk.shell(shell, "printenv KELP_STYLE") == f"{desk.shelf}/kelp/3.6.2/style\n"
    desk.wants(EVERY + OWN + RECIPE, '[runtimes.kelp]\nwant = "lts"\n')
    desk.well("provision")
    assert desk.shell("zsh", "printenv KELP_STYLE") == f"{desk.shelf}/kelp/4.2.1/style\n"
    files = (desk.home / ".local/share/zesty-anchor/shell").iterdir()
    assert not any("3.6.2" in file.read_text() for file in files), "the old version's path is nowhere"


@pytest.mark.parametrize(
    ("shell", "lines"), [("bash", "if true; then"), ("fish", "if true"), ("zsh", "case x in")]
)
def test_a_hook_that_cannot_be_read_changes_nothing(desk: Desk, shell: str, lines: str) -> None:
    desk.wants(EVERY + f"hooks.{shell} = '{lines}'\n")
    answer = desk.run("provision")
    assert answer.code == 2
    line = desk.manifest.read_text().splitlines().index(f"hooks.{shell} = '{lines}'") + 1
    assert f"workstation.toml:{line}" in answer.err and "[shells.hooks]" in answer.err
    assert not (desk.home / ".bashrc").exists() and not (desk.home / ".config/fish").exists()


def test_a_shell_that_is_not_known_has_no_hooks(desk: Desk) -> None:
    desk.wants('[shells]\nhooks.csch = "x"\nmissing = "never"\n')
    told = desk.run("preview").err
    assert "csch" in told and "missing" in told


@pytest.mark.needs("fish")
@pytest.mark.parametrize(
    "line", ["set -gx PATH ~/old/bin $PATH", "fish_add_path -g ~/old/bin", "fish_add_path -gP ~/old/bin"]
)
def test_what_config_fish_puts_on_path_stands_behind(desk: Desk, line: str) -> None:
    """It is read after the drop-in folder; what is typed later, or set by a command, stays where it was
    put.
    """
    desk.write("#!/bin/sh\necho kelp 0.1\n", "old/bin/kelp").chmod(0o755)
    desk.write(f"{line}\nset -gx MINE 1\n", ".config/fish/config.fish")
    desk.wants('[shells]\nuse = ["fish"]\n')
    assert desk.well("provision", "--json").json["proof"]["ok"]
    for options in ([], ["-l"], ["-i"], ["-l", "-i"]):
        said = desk.shell(
            "fish", "kelp --version; echo $MINE; set PATH ~/old/bin $PATH; kelp --version", *options
        )
        assert said.split() == ["kelp", "4.2.1", "1", "kelp", "0.1"], options
