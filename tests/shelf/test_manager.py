"""A manager is spoken to with words; what stands for a function; what it puts first on PATH ends up
behind.
"""

from __future__ import annotations

import os
import subprocess
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.conftest import SHELLS
from zesty_anchor.manifest.recipe import ManagerTool
from zesty_anchor.shelf.manager import CALLED, ManagerProgram, write_call
from zesty_anchor.shells.known import SHELLS as KNOWN
from zesty_anchor.system.host import plain_environment
from zesty_anchor.system.problem import Problem

TOOL = ManagerTool(
    list="rope offers {runtime}", install="rope take '{runtime} {version}'", locate="rope at {version}",
    line=r"^\* (?P<version>\S+)(?: (?P<channel>\w+))?$", function="rope.sh",
)  # fmt: skip
ROPE = """rope() {
  case $1 in
    offers) printf '* 1.2 calm\\nnoise\\n* 1.10\\n' ;;
    at) printf '%s\\n' "$ROPE/$2" ;;
    *) printf '<%s>' "$@"; [ "$#" = 2 ] ;;
  esac
}
"""


def manager(folder: Path) -> ManagerProgram:
    (folder / "it's here").mkdir(exist_ok=True)
    (folder / "it's here/rope.sh").write_text(ROPE)
    write_call(folder / "it's here", folder / "it's here", ("rope",), TOOL, "/bin/sh")
    bins = (folder / "it's here" / CALLED,)
    return ManagerProgram(
        "rope", TOOL, bins, {**plain_environment({}, folder, bins), "ROPE": str(folder)}, folder
    )


def test_a_function_answers_like_a_program(tmp_path: Path) -> None:
    rope = manager(tmp_path)
    assert rope.versions("kelp") == [("1.2", ("calm",)), ("1.10", ())]
    (tmp_path / "1.2").mkdir()
    assert rope.locate("kelp", "1.2") == tmp_path / "1.2"
    assert rope.locate("kelp", "1.3") is None
    rope.install("kelp", "1.2", tmp_path / "log", lambda text: None, lambda: False)
    assert (tmp_path / "log").read_text().splitlines()[-1] == "<take><kelp 1.2>"


@settings(max_examples=200, deadline=None)
@given(st.text(st.characters(blacklist_characters="\0", blacklist_categories=("Cs",))))
def test_a_value_is_never_more_than_a_part_of_one_word(value: str) -> None:
    rope = ManagerProgram("rope", TOOL, (), {}, Path())
    assert rope.words(TOOL.install, "kelp", value) == ["rope", "take", f"kelp {value}"]
    assert rope.words(TOOL.list, value, "") == ["rope", "offers", value]


@pytest.mark.parametrize("value", ["1; touch x", "$(touch x)", "`touch x`", "' \"x", "*", "-e", "a\nb", "é"])
def test_it_arrives_through_the_function_as_it_is(tmp_path: Path, value: str) -> None:
    rope = manager(tmp_path)
    call = str(tmp_path / "it's here" / CALLED / "rope")
    done = subprocess.run(
        [call, "take", value], cwd=tmp_path, env=dict(rope.environment), capture_output=True, text=True
    )
    assert done.stdout == f"<take><{value}>"
    assert not (tmp_path / "x").exists()


def test_one_that_lists_nothing_or_is_not_there_is_told(tmp_path: Path) -> None:
    rope = manager(tmp_path)
    (tmp_path / "it's here/rope.sh").write_text("rope() { echo none; }\n")
    with pytest.raises(Problem, match="lists no version of kelp"):
        rope.versions("kelp")
    (tmp_path / "it's here/rope.sh").write_text("rope() { echo 'the sea is high' >&2; return 9; }\n")
    with pytest.raises(Problem, match="ended with 9: the sea is high"):
        rope.versions("kelp")
    (tmp_path / "it's here" / CALLED / "rope").unlink()
    with pytest.raises(Problem, match="no command 'rope'"):
        rope.versions("kelp")


@pytest.mark.needs("bash", "zsh", "fish", "dash", "ksh", "mksh")
@pytest.mark.parametrize("name", ["bash", "zsh", "fish", "sh", "ksh", "mksh"])
def test_what_a_hook_puts_first_on_path_ends_up_behind(name: str, tmp_path: Path) -> None:
    lines = "set -gx PATH /their/bin $PATH" if name == "fish" else 'export PATH="/their/bin:$PATH"'
    text = KNOWN[name].behind(lines)
    file = tmp_path / "hook"
    file.write_text(f"{text}\n{text}\n")
    source = f"source {file}" if name == "fish" else f". {file}"
    program = SHELLS["dash" if name == "sh" else name]
    environment = {"PATH": "/ours/bin:/usr/bin:/bin", "HOME": str(tmp_path)}
    nounset = "" if name == "fish" else "set -eu; "
    done = subprocess.run(
        [program, "-c", f"{nounset}{source}; /usr/bin/printenv PATH"], env=environment, capture_output=True,
        text=True,
        check=False,
    )  # fmt: skip
    assert done.stdout.strip() == "/ours/bin:/usr/bin:/bin:/their/bin", done.stderr
    assert os.listdir(tmp_path)
