"""Where fish's lines come from: real fish starts, and what is cut for an old install leaves everything else
as it was.
"""

from __future__ import annotations

import subprocess
from pathlib import Path
from typing import NamedTuple

import pytest

from tests.conftest import SHELLS
from zesty_anchor.shells.reading import INTERACTIVE
from zesty_anchor.survey.machine import Machine
from zesty_anchor.survey.owner import Owners
from zesty_anchor.survey.startup.fish_statements import fish_statements_about
from zesty_anchor.survey.startup.fish_trace import fish_steps
from zesty_anchor.survey.startup.fish_variables import universal_statements_about
from zesty_anchor.survey.startup.fish_words import fish_words
from zesty_anchor.survey.startup.places import Places
from zesty_anchor.survey.startup.provenance import origins
from zesty_anchor.survey.startup.startup_trace import StartupTrace, trace_startup
from zesty_anchor.survey.startup.statement import without
from zesty_anchor.survey.startup.step import Place
from zesty_anchor.system.host import login_path
from zesty_anchor.system.locations import locate

HEAD = "# tides\nset -gx EDITOR vi\nfunction quay\n  echo north\nend\n"
TAIL = "set -gx LATER $EDITOR\nset -gxa PATH ~/mine\nalias tides 'ls -l'\n"
CONFIG = ".config/fish/config.fish"
FILES = {
    "bin/kelp": "#!/bin/sh\ncase ${1-} in init) echo 'set -gx KELP_INIT 1' ;; *) echo kelp 3.1 ;; esac\n",
    "sbin/tide": "#!/bin/sh\n",
    "hook.fish": "set -gx KELP_HOOKED yes\nset -gx PATH ~/old-kelp/sbin $PATH\nfunction kelp_hook; end\n",
}


class Fragment(NamedTuple):
    text: str
    at: int = 1
    """Of its lines the one that brings something."""
    entry: str = ""
    """A folder of the old install, on PATH by it."""
    name: str = ""
    """A variable (with its dollar sign), a function or an alias, by it."""
    file: str = CONFIG
    left: str = ""


CORPUS = {
    "set": Fragment("set -gx PATH ~/old-kelp/bin $PATH\n", entry="bin"),
    "behind": Fragment("set -gx --append PATH ~/old-kelp/bin\n", entry="bin"),
    "prepended": Fragment("# old\nset -px PATH $HOME/old-kelp/bin\n", 2, entry="bin", left="# old\n"),
    "fish_add_path": Fragment("fish_add_path ~/old-kelp/bin\n", entry="bin"),
    "fish_add_path, global": Fragment("fish_add_path -g ~/old-kelp/bin ~/old-kelp/sbin\n", entry="sbin"),
    "fish_user_paths": Fragment("set -g fish_user_paths ~/old-kelp/bin $fish_user_paths\n", entry="bin"),
    "a variable first": Fragment("set -l k ~/old-kelp\nset -gx PATH $k/bin $PATH\n", 2, entry="bin"),
    "a block": Fragment("if test -d ~/old-kelp\n\n  fish_add_path ~/old-kelp/bin\nend\n", 3, entry="bin"),
    "one line": Fragment("test -d ~/old-kelp; and set -gx PATH ~/old-kelp/bin $PATH\n", entry="bin"),
    "a loop": Fragment(
        "for d in ~/old-kelp/bin ~/old-kelp/sbin\n  set -gx PATH $d $PATH\nend\n", 2, entry="sbin",
    ),
    "the same line before, unused": Fragment(
        "if false\n  set -gx X ~/old-kelp\nend\nset -gx X ~/old-kelp\n", 4, name="$X",
    ),
    "inside what does more": Fragment(
        "if status is-interactive\n  set -g Q 1\n  set -gx KELP_HOME ~/old-kelp\nend\n", 3, name="$KELP_HOME",
        left="if status is-interactive\n  set -g Q 1\nend\n",
    ),
    "a continued line": Fragment("set -gx \\\n  KELP_HOME ~/old-kelp\n", name="$KELP_HOME"),
    "a sourced file": Fragment("source ~/old-kelp/hook.fish\n", 2, entry="sbin", file="old-kelp/hook.fish"),
    "a variable of a sourced file": Fragment("source ~/old-kelp/hook.fish\n", name="$KELP_HOOKED",
    file="old-kelp/hook.fish"),
    "a function of a sourced file": Fragment("source ~/old-kelp/hook.fish\n", 3, name="kelp_hook",
    file="old-kelp/hook.fish"),
    "piped into source": Fragment("~/old-kelp/bin/kelp init | source\n", name="$KELP_INIT"),
    "evaluated": Fragment("eval (~/old-kelp/bin/kelp init)\n", name="$KELP_INIT"),
    "an alias": Fragment("alias kelp ~/old-kelp/bin/kelp\n", name="kelp"),
    "a function's body": Fragment(
        "function kelp_go\n  set -gx PATH ~/old-kelp/bin $PATH\nend\nkelp_go\n", 2, entry="bin",
        left="function kelp_go\nend\nkelp_go\n",
    ),
    "a folder's own file": Fragment("set -gx PATH ~/old-kelp/bin $PATH\n", entry="bin",
    file=".config/fish/conf.d/kelp.fish"),
}  # fmt: skip


def looked_at(home: Path) -> Machine:
    environment = {"HOME": str(home), "PATH": login_path()}
    return Machine(locate(environment), environment)


def started(home: Path) -> tuple[StartupTrace, Machine]:
    machine = looked_at(home)
    fish = machine.shell("fish")
    assert fish
    return trace_startup(fish, INTERACTIVE, machine), machine


def place_of(name: str, trace: StartupTrace, machine: Machine) -> Place:
    """Where what answers to a name comes from, or where a folder of PATH does."""
    path = "PATH" if "/" in name else name
    listed = [
        each
        for each in origins(path, [trace], machine, Owners(machine))
        if path != "PATH" or each.path == name
    ]
    assert listed, f"nothing answers to {name}"
    return Place(listed[0].startup_file or "", listed[0].line or 0)


@pytest.mark.needs("fish")
@pytest.mark.parametrize("name", CORPUS)
def test_the_line_is_named_and_the_rest_stays_as_it_was(name: str, tmp_path: Path) -> None:
    fragment, old = CORPUS[name], tmp_path / "old-kelp"
    for file, text in FILES.items():
        (old / file).parent.mkdir(parents=True, exist_ok=True)
        (old / file).write_text(text)
        (old / file).chmod(0o755)
    own = fragment.file if fragment.file.startswith(".config") else CONFIG
    startup = tmp_path / own
    startup.parent.mkdir(parents=True)
    startup.write_text(HEAD + fragment.text + TAIL)
    before, machine = started(tmp_path)
    assert not before.cut_off
    wanted = Place(
        str(tmp_path / fragment.file), fragment.at + (HEAD.count("\n") if fragment.file == own else 0)
    )
    asked = str(old / fragment.entry) if fragment.entry else fragment.name
    assert place_of(asked, before, machine) == wanted
    assert startup in machine.startup

    content = startup.read_bytes()
    left = without(
        content, fish_statements_about(content, Places(tmp_path, [old]), parser=machine.fish_parser)
    )
    assert left.decode() == HEAD + fragment.left + TAIL
    startup.write_bytes(left)
    assert subprocess.run([SHELLS["fish"], "--no-execute", str(startup)], check=False).returncode == 0
    variables = tmp_path / ".config/fish/fish_variables"
    if variables.exists():
        content = variables.read_bytes()
        variables.write_bytes(without(content, universal_statements_about(content, Places(tmp_path, [old]))))
    old.rename(tmp_path / "attic")
    after, _ = started(tmp_path)
    assert rest_of(after) == rest_of(before)


def rest_of(trace: StartupTrace) -> dict[str, object]:
    """What a fish has without what the old install brought."""
    return {
        "path": [entry for entry in trace.path.split(":") if "old-kelp" not in entry],
        "variables": {
            k: v for k, v in trace.variables.items() if "KELP" not in k and k not in ("PATH", "X", "_")
        },
        "functions": {name for name in trace.functions if not name.startswith("kelp")},
    }


@pytest.mark.needs("fish")
def test_what_was_once_typed_is_found_among_the_universal_variables_and_goes_from_there(
    tmp_path: Path,
) -> None:
    for folder in ("old-kelp/bin", "quay-side"):
        (tmp_path / folder).mkdir(parents=True)
    typed = "fish_add_path ~/quay-side ~/old-kelp/bin; set -Ux KELP_HOME ~/old-kelp; set -U tide high"
    environment = {"HOME": str(tmp_path), "PATH": login_path()}
    subprocess.run([SHELLS["fish"], "-c", typed], env=environment, check=True)
    file = tmp_path / ".config/fish/fish_variables"
    rows = file.read_text().splitlines()
    (paths,) = [number for number, row in enumerate(rows, 1) if "fish_user_paths" in row]
    (home,) = [number for number, row in enumerate(rows, 1) if "KELP_HOME" in row]
    trace, machine = started(tmp_path)
    assert place_of(str(tmp_path / "old-kelp/bin"), trace, machine) == Place(str(file), paths)
    assert place_of("$KELP_HOME", trace, machine) == Place(str(file), home)

    content = file.read_bytes()
    file.write_bytes(
        without(content, universal_statements_about(content, Places(tmp_path, [tmp_path / "old-kelp"])))
    )
    said = subprocess.run(
        [SHELLS["fish"], "-c", "echo $fish_user_paths; echo $tide; set -q KELP_HOME; or echo none"],
        env=environment, check=True, capture_output=True, text=True,
    ).stdout  # fmt: skip
    assert said.split() == [str(tmp_path / "quay-side"), "high", "none"]


@pytest.mark.parametrize("own", ["ab", "bc", "ac", "b", "c", "abc"])
def test_an_entry_goes_from_anywhere_in_a_list(own: str) -> None:
    between = "\\x1e"
    folders = {letter: f"/h/old/{letter}" if letter in own else f"/h/{letter}" for letter in "abc"}
    content = (
        f"# head\nSETUVAR fish_user_paths:{between.join(folders.values())}\nSETUVAR tide:high\n".encode()
    )
    left = without(content, universal_statements_about(content, Places(Path("/h"), [Path("/h/old")])))
    kept = [f"/h/{letter}" for letter in "abc" if letter not in own]
    line = f"SETUVAR fish_user_paths:{between.join(kept)}\n" if kept else ""
    assert left.decode() == f"# head\n{line}SETUVAR tide:high\n"


def test_words_as_fish_writes_them() -> None:
    assert fish_words(r"set -gx A a\nb 'c d' q\'x \u00e9 \xc3\xa9 \xff 'it\'s' a\ b") == [
        "set", "-gx", "A", "a\nb", "c d", "q'x", "é", "é", "\udcff", "it's", "a b",
    ]  # fmt: skip


def test_steps_from_a_profile_and_a_trace() -> None:
    content = b"set -gx A ~/x\nf (date)\n"
    profile = (
        "Time\tSum\tCommand\n9\t9\t> builtin source /own/config.fish\n50\t90\t> source ~/c.fish\n"
        "20\t20\t-> set -gx A ~/x\n5\t30\t-> f (date)\n30\t30\t--> date\n"
    )
    traced = "> source /own/config.fish\n> source /h/c.fish\n---> set -gx A /h/x\n----> date\n---> f Friday\n"
    steps = fish_steps(profile, traced, lambda file: (content, None), "/h", "/bin")
    assert [(step.file, step.line, step.text) for step in steps] == [
        ("", 0, "source /own/config.fish"), ("", 0, "source /h/c.fish"), ("/h/c.fish", 1, "set -gx A /h/x"),
        ("/h/c.fish", 2, "f Friday"), ("/h/c.fish", 2, "date"),
    ]  # fmt: skip
    assert [round(step.at * 1e6) for step in steps] == [0, 9, 59, 79, 84]
