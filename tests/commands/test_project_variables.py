"""The variables of a project: they come and go with its folder, in real shells, once the person agreed."""

from __future__ import annotations

import os
import shlex
import subprocess
from pathlib import Path

import pytest

from tests.conftest import SHELLS, Desk
from zesty_anchor.shells.known import following
from zesty_anchor.system.host import login_path

VALUE = 'it\'s $5 \\ "a" day\nand tomorrow'
PROJECT = '[runtimes.kelp]\nwant = "4.2"\n[variables]\nGAUGE = "it\'s $5 \\\\ \\"a\\" day\\nand tomorrow"\nDEPTH = "12"\n'


@pytest.fixture
def sounding(desk: Desk) -> Desk:
    """A home with a project, and one inside it."""
    desk.wants('[shells]\nuse = "all"\n[variables]\nGAUGE = "north"\n', '[runtimes.kelp]\nwant = "4.2"\n')
    desk.well("provision")
    desk.write(PROJECT, "soundings/workstation.toml")
    desk.write('[variables]\nDEPTH = "30"\nMAST = "7"\n', "soundings/deep/workstation.toml")
    return desk


def told(desk: Desk, shell: str, script: str, **more: str) -> list[str]:
    """What an interactive shell prints for a script, line by line."""
    environment = {"HOME": str(desk.home), "PATH": login_path(), "TERM": "dumb", "LANG": "C.UTF-8", **more}
    words = [SHELLS[shell], *([] if shell == "fish" else ["-l"]), "-ic", script]
    done = subprocess.run(
        words,
        cwd=desk.home,
        env=environment,
        stdin=subprocess.DEVNULL,
        capture_output=True,
        text=True,
        check=False,
    )
    return [line for line in done.stdout.splitlines() if line.startswith("=")]


def show(*names: str) -> str:
    return "sh -c '" + "; ".join(f'printf "=%s\\n" "${{{name}-none}}" | head -1' for name in names) + "'"


@pytest.mark.parametrize("shell", [pytest.param(name, marks=pytest.mark.needs(name)) for name in following()])
def test_they_come_and_go_with_the_folder(shell: str, sounding: Desk) -> None:
    trusted = sounding.well("projects", "--trust", "soundings")
    assert trusted.out == "~/soundings/workstation.toml may set GAUGE, DEPTH in its folder.\n"
    sounding.well("projects", "--trust", "soundings/deep/workstation.toml")
    three = show("GAUGE", "DEPTH", "MAST")
    first = VALUE.splitlines()[0]
    steps = [
        ("", ["=north", "=none", "=none"]),
        ("cd soundings", [f"={first}", "=12", "=none"]),
        ("cd deep", [f"={first}", "=30", "=7"]),
        ("cd ..", [f"={first}", "=12", "=none"]),
        ("cd", ["=north", "=none", "=none"]),
        ("cd soundings/deep", [f"={first}", "=30", "=7"]),
        ("cd", ["=north", "=none", "=none"]),
    ]
    script = "; ".join(f"{step}; {three}" if step else three for step, _ in steps)
    assert told(sounding, shell, script) == [line for _, lines in steps for line in lines]


@pytest.mark.parametrize("shell", [pytest.param(name, marks=pytest.mark.needs(name)) for name in following()])
def test_the_whole_value_arrives_and_a_shell_in_a_shell_puts_back_what_was_there(
    shell: str, sounding: Desk
) -> None:
    sounding.well("projects", "--trust", "soundings")
    whole = 'sh -c \'test "$GAUGE" = "$WANTED" && echo =whole\''
    inner = f"cd; {show('GAUGE', 'DEPTH')}"
    login = "" if shell == "fish" else "-l "
    script = f"cd soundings; {whole}; {SHELLS[shell]} {login}-ic {shlex.quote(inner)}; {show('DEPTH')}"
    if shell == "fish":
        script = script.replace(
            shlex.quote(inner), "'" + inner.replace("\\", "\\\\").replace("'", "\\'") + "'"
        )
    assert told(sounding, shell, script, WANTED=VALUE, DEPTH="own") == ["=whole", "=north", "=own", "=12"]


@pytest.mark.needs("bash")
def test_nothing_is_set_before_the_person_agreed_nor_after_a_change(sounding: Desk) -> None:
    entered = ["bash", "-lic", f"cd soundings; {show('DEPTH')}"]
    environment = {"HOME": str(sounding.home), "PATH": login_path(), "TERM": "dumb"}

    def enter() -> tuple[str, str]:
        done = subprocess.run(
            entered, cwd=sounding.home, env=environment, capture_output=True, text=True, check=False
        )
        return done.stdout, done.stderr

    out, err = enter()
    assert out == "=none\n"
    assert "~/soundings/workstation.toml sets GAUGE, DEPTH; to allow it: zesty-anchor projects --trust" in err
    command = err.split("to allow it: ")[1].splitlines()[0]
    sounding.well(*shlex.split(command)[1:])
    assert enter()[0] == "=12\n"
    project = sounding.home / "soundings/workstation.toml"
    project.write_text(project.read_text().replace("12", "13"))
    out, err = enter()
    assert out == "=none\n" and "to allow it" in err
    project.write_text(project.read_text().replace("13", "12"))
    assert enter()[0] == "=12\n", "what was agreed to once is good again"
    os.chmod(project, 0o666)
    project.write_text(project.read_text() + "\n")
    out, err = enter()
    assert out == "=none\n" and "may write" in err
    refused = sounding.run("projects", "--trust", "soundings")
    assert refused.code == 2 and "is not used" in refused.err


@pytest.mark.needs("bash")
def test_a_machine_without_runtimes_has_them_too(desk: Desk) -> None:
    desk.wants('[shells]\nuse = ["bash"]\n')
    desk.well("provision")
    desk.write('[variables]\nDEPTH = "12"\n', "soundings/workstation.toml")
    desk.well("projects", "--trust", "soundings")
    assert told(desk, "bash", f"cd soundings; {show('DEPTH')}; cd; {show('DEPTH')}") == ["=12", "=none"]


def test_a_command_and_a_step_have_them_too(sounding: Desk) -> None:
    inside = sounding.home / "soundings"
    assert "DEPTH" not in sounding.run("export", cwd=inside).out
    sounding.well("projects", "--trust", str(inside))
    assert sounding.run("with", "--", "sh", "-c", "echo $DEPTH", cwd=inside).out == "12\n"
    assert "export DEPTH=12" in sounding.run("export", cwd=inside).out.replace("'", "")
    assert "DEPTH" not in sounding.well("export").out
    assert "In this folder it is DEPTH=12, by ~/soundings/workstation.toml:5." in " ".join(
        sounding.run("explain", "DEPTH", cwd=inside).out.split()
    )


def test_no_variables_to_agree_to(sounding: Desk, tmp_path: Path) -> None:
    refused = sounding.run("projects", "--trust", str(tmp_path))
    assert refused.code == 2 and "there is no workstation.toml in" in refused.err
    own = sounding.run("projects", "--trust", ".")
    assert own.code == 2 and "is the manifest of this machine" in own.err
