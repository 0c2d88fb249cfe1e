"""What a trace says, read without a shell; and bash as somebody who is not root, where it takes our PS4
itself.
"""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path

import pytest

from tests.conftest import is_root
from zesty_anchor.shells.known import SHELLS
from zesty_anchor.survey.machine import Machine
from zesty_anchor.survey.startup.provenance import traces
from zesty_anchor.survey.startup.sh_trace import traced_steps
from zesty_anchor.survey.startup.startup_trace import (
    StartupTrace,
    aliases,
)
from zesty_anchor.survey.startup.step import Place, Step
from zesty_anchor.system.host import login_path
from zesty_anchor.system.locations import locate


def row(at: str, file: str, line: int, text: str, path: str = "/bin", inside: str = "") -> str:
    return "\x1e" + "\x1f".join(["+", at, file, str(line), inside, path, "", "", ""]) + "\x1e" + text + "\n"


def test_the_steps_of_a_trace() -> None:
    text = (
        "noise of a program\n"
        + row("10.5", "/h/.bashrc", 1, "export PATH=/a:/bin")
        + row("10.75", "/h/.bashrc", 2, "alias 'll=ls\n-l'", "/a:/bin").replace("\x1e+", "\x1e\x1e+")
        + row("11", "/own/rc", 3, "set +x")
        + row("x", "", 0, "broken time")
        + "\x1e+\x1fnot enough\x1etext\n"
    )
    assert traced_steps(text, "/own") == [
        Step("/h/.bashrc", 1, 0.0, "export PATH=/a:/bin", "/bin"),
        Step("/h/.bashrc", 2, 0.25, "alias 'll=ls\n-l'", "/a:/bin"),
        Step("", 0, -10.5, "broken time", "/bin"),
    ]


def test_what_is_evaluated_stands_at_the_line_of_the_eval() -> None:
    text = row("1", "/h/.zshrc", 4, "eval 'export A=1'") + row(
        "1", "/h/.zshrc", 5, "export A=1", inside="eval"
    )
    trace = StartupTrace("zsh", "interactive", tuple(traced_steps(text)), path="/bin")
    assert trace.of_variable("A") == Place("/h/.zshrc", 4)
    assert trace.of_variable("B") is None


@pytest.mark.parametrize("late", [False, True])
def test_the_line_that_put_a_folder_on_path(late: bool) -> None:
    """ksh shows PATH as it is after the line, the others as it was before."""
    shown = ["/bin", "/new:/bin"] if late else ["/bin", "/bin"]
    steps = (
        Step("/h/rc", 1, 0, "true", shown[0]),
        Step("/h/rc", 2, 0, "PATH=/new:/bin", shown[1]),
        Step("/h/rc", 3, 0, "true", "/new:/bin"),
    )
    trace = StartupTrace("ksh", "login", steps, path="/new:/bin")
    assert trace.of_path_entry("/new") == Place("/h/rc", 2)
    assert trace.of_path_entry("/bin") is None, "the shell came with it"
    assert trace.of_path_entry("/none") is None


def test_aliases_and_functions_as_each_shell_prints_them() -> None:
    printed = "alias ll='ls -l'\nalias quote='it'\\''s'\nnot an alias\ntide='echo high'\n"
    assert aliases(printed) == {"ll": "ls -l", "quote": "it's", "tide": "echo high"}
    assert SHELLS["bash"].functions("f 12 /h/my rc\ng 0 main\n".splitlines()) == {
        "f": ("/h/my rc", 12),
        "g": None,
    }
    assert SHELLS["zsh"].functions("f\n/h/.zshrc\ng\n\n".splitlines()) == {"f": ("/h/.zshrc", 0), "g": None}
    assert SHELLS["fish"].functions("f\n/h/f.fish\n4\ng\nstdin\nn/a\n".splitlines()) == {
        "f": ("/h/f.fish", 4),
        "g": None,
    }
    assert SHELLS["mksh"].functions("f\ng()\n".splitlines()) == {"f": None, "g": None}


AS_ANOTHER = """
import json, os, sys
from zesty_anchor.shells.known import SHELLS
from zesty_anchor.survey import machine
from zesty_anchor.survey.startup import startup_trace
from zesty_anchor.system.locations import locate
import pexpect, msgspec
home = sys.argv[1]
os.setgroups([]); os.setresgid(4242, 4242, 4242); os.setresuid(4242, 4242, 4242)
environment = {"HOME": home, "PATH": sys.argv[2], "LANG": "C.UTF-8"}
os.environ.clear(); os.environ.update(environment); os.chdir(home)
seen = machine.Machine(locate(environment), environment)
found = {}
for context in SHELLS["bash"].contexts:
    trace = startup_trace.trace_startup(seen.shell("bash"), context, seen)
    found[context.name] = msgspec.to_builtins(trace.of_path_entry("/tides")), trace.cut_off
print(json.dumps(found))
"""


@pytest.mark.needs("bash")
@pytest.mark.skipif(not is_root(), reason="becoming somebody else needs root")
def test_bash_as_somebody_who_is_not_root(open_room: Path) -> None:
    tmp_path = open_room
    (tmp_path / ".profile").write_text("umask 022\nif true; then\n  . ~/.bashrc\nfi\n")
    (tmp_path / ".bashrc").write_text("alias tides=ls\nPATH=/tides:$PATH\n")
    for file in (tmp_path, tmp_path / ".profile", tmp_path / ".bashrc"):
        os.chown(file, 4242, 4242)
    done = subprocess.run(
        [sys.executable, "-c", AS_ANOTHER, str(tmp_path), login_path(superuser=False)], capture_output=True,
        text=True, check=False
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    place = {"file": str(tmp_path / ".bashrc"), "line": 2}
    found = json.loads(done.stdout)
    assert {name: told[0] for name, told in found.items()} == dict.fromkeys(found, place)
    assert not [told[1] for told in found.values() if told[1]]


LINES = {
    "for one command": ("export V=right\nV=wrong true\n", "V", 1),
    "in a subshell": ("export V=right\n( V=wrong; export V )\n:\n", "V", 1),
    "in a function": ("export V=right\nfunction f { typeset V=wrong; }\nf\n", "V", 1),
    "below a comment with a backslash": ("# a comment \\\nexport V=right\n", "V", 2),
    "by a default": (': "${V:=right}"\nexport V\n', "V", 1),
    "read": ("read -r V <<E\nright\nE\nexport V\n", "V", 1),
    "over several lines": ('export V="one\ntwo"\nexport W=1\n', "V", 1),
    "unset between": ("export V=a\nunset V\nexport V=right\n", "V", 3),
    "evaluated": ('eval "export V=right"\n', "V", 1),
    "by a loop": ("for V in a b; do :; done\nexport V\n", "V", 1),
    "from what is printed": ('. <(echo "export V=right")\n', "V", 1),
    "by one of two calls": ('set_v() {\n  export "$1"=x\n}\nset_v W\nset_v V\n', "V", 5),
    "on PATH by one of two calls": ('pre() {\n  PATH="$1:$PATH"\n}\npre /opt/y\npre /opt/x\n', "/opt/x", 5),
    "on PATH, off, and on again": ("P=$PATH\nPATH=/opt/x:$PATH\nPATH=$P\nPATH=/opt/x:$PATH\n", "/opt/x", 4),
    "below a PS4 of the person's": ("PS4='+ '\nexport V=right\n", "V", 2),
}
NOT_TOLD = {"ksh": ("by one of two calls", "on PATH by one of two calls", "by a default", "read")}
"""ksh does not tell where a function was called from, and tells what an expansion or read has set only with
the next line.
"""


@pytest.mark.needs("bash", "zsh", "ksh")
@pytest.mark.parametrize("shell", ["bash", "zsh", "ksh"])
@pytest.mark.parametrize("case", LINES)
def test_the_line_that_counts(shell: str, case: str, tmp_path: Path) -> None:
    text, what, line = LINES[case]
    if case in NOT_TOLD.get(shell, ()):
        pytest.skip("the shell does not tell it")
    (tmp_path / f".{shell}rc").write_text(text)
    environment = {"HOME": str(tmp_path), "PATH": login_path()}
    machine = Machine(locate(environment), environment)
    found = traces(machine, [shell], [f"${what}"] if what == "V" else [])
    trace = next(each for each in found if each.context == "interactive")
    place = trace.of_variable(what) if what == "V" else trace.of_path_entry(what)
    assert place == Place(str(tmp_path / f".{shell}rc"), line)
