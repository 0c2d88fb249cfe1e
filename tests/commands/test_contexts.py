"""Seven shells by eight ways of being started: the default version, the project's, the session's, variables,
PATH.
"""

from __future__ import annotations

import os
import re
import shutil
import subprocess
from collections.abc import Callable
from pathlib import Path

import pytest

from tests.conftest import PROGRAMS, USER_GENERATOR, Desk
from zesty_anchor.system.host import login_path

pytestmark = pytest.mark.needs("bash", "zsh", "fish", "ksh", "mksh", "tcsh", "dash")
PROGRAM = {"sh": "dash", **{name: name for name in ("bash", "zsh", "fish", "ksh", "mksh", "tcsh")}}
FOLLOWING = ("bash", "zsh", "fish", "ksh", "mksh")
Way = Callable[[Desk, str, str, dict[str, str]], str]


def environment(desk: Desk, **more: str) -> dict[str, str]:
    return {
        "HOME": str(desk.home),
        "PATH": login_path(superuser=False),
        "LANG": "C.UTF-8",
        "TERM": "dumb",
        **more,
    }


def started(words: list[str], env: dict[str, str], desk: Desk, lines: str | None = None) -> str:
    done = subprocess.run(
        words, cwd=desk.home, env=env, input=lines, capture_output=True, text=True, timeout=60, check=False,
        **({} if lines is not None else {"stdin": subprocess.DEVNULL}),
    )  # fmt: skip
    return re.sub(r"\x1b\[[?0-9;]*[a-zA-Z]", "", done.stdout)


def as_login(shell: str, script: str) -> list[str]:
    program = PROGRAMS[PROGRAM[shell]]
    if shell == "tcsh":
        return ["bash", "--norc", "-c", 'exec -a -tcsh "$0" -c "$1"', program, script]
    return [program, "-l", "-c", script]


def interactive(desk: Desk, shell: str, script: str, more: dict[str, str]) -> str:
    return started([PROGRAMS[PROGRAM[shell]], "-i"], environment(desk, **more), desk, script + "\nexit\n")


def login(desk: Desk, shell: str, script: str, more: dict[str, str]) -> str:
    return started(as_login(shell, script), environment(desk, **more), desk)


def login_interactive(desk: Desk, shell: str, script: str, more: dict[str, str]) -> str:
    return started(
        [PROGRAMS[PROGRAM[shell]], "-l", "-i"], environment(desk, **more), desk, script + "\nexit\n"
    )


def over_ssh(desk: Desk, shell: str, script: str, more: dict[str, str]) -> str:
    env = environment(desk, SSH_CLIENT="127.0.0.1 1 22", SSH_CONNECTION="127.0.0.1 1 127.0.0.1 22", **more)
    return started([PROGRAMS[PROGRAM[shell]], "-c", script], env, desk)


def script(desk: Desk, shell: str, script: str, more: dict[str, str]) -> str:
    """Run by a program that was started from a login shell."""
    words = [PROGRAMS["dash"], "-l", "-c", 'exec "$0" -c "$1"', PROGRAMS[PROGRAM[shell]], script]
    return started(words, environment(desk, **more), desk)


def cron(desk: Desk, shell: str, script: str, more: dict[str, str]) -> str:
    """crontab(5): HOME, SHELL, a short PATH. A job names the launcher."""
    env = {"HOME": str(desk.home), "SHELL": PROGRAMS[PROGRAM[shell]], "PATH": "/usr/bin:/bin", **more}
    launchers = desk.home / ".local/share/zesty-anchor/bin"
    return started([env["SHELL"], "-c", script.replace("kelp-env", f"{launchers}/kelp-env")], env, desk)


def graphical(desk: Desk, shell: str, script: str, more: dict[str, str]) -> str:
    """What systemd gives to a session, from the generator that it ships."""
    given = subprocess.run(
        [str(USER_GENERATOR)], env=environment(desk), capture_output=True, text=True, check=True
    )
    pairs = dict(line.split("=", 1) for line in given.stdout.splitlines())
    session = {name: value.strip('"').replace("\\$", "$") for name, value in pairs.items()}
    return started([PROGRAMS[PROGRAM[shell]], "-c", script], {**environment(desk), **session, **more}, desk)


def editor(desk: Desk, shell: str, script: str, more: dict[str, str]) -> str:
    """A program that was started by none of them and calls the launcher through a shell that reads
    nothing.
    """
    quiet = {"bash": ["--norc"], "zsh": ["-f"], "fish": ["--no-config"], "tcsh": ["-f"]}.get(shell, [])
    env = {"HOME": str(desk.home), "PATH": "/usr/bin:/bin", **more}
    launchers = desk.home / ".local/share/zesty-anchor/bin"
    return started(
        [PROGRAMS[PROGRAM[shell]], *quiet, "-c", script.replace("kelp-env", f"{launchers}/kelp-env")],
        env,
        desk,
    )


WAYS: dict[str, tuple[Way, tuple[str, ...]]] = {
    "interactive": (
        interactive,
        (*FOLLOWING, "tcsh"),
    ),  # sh reads only what ENV names: it has what its login had
    "login": (login, tuple(PROGRAM)),
    "login, interactive": (login_interactive, (*FOLLOWING, "sh")),  # tcsh takes -l alone, which is "login"
    "over ssh": (over_ssh, ("bash", "zsh", "fish", "tcsh")),  # the others read nothing there
    "script": (script, tuple(PROGRAM)),
    "cron": (cron, tuple(PROGRAM)),
    "graphical": (graphical, tuple(PROGRAM)),
    "editor": (editor, tuple(PROGRAM)),
}
SYSTEMD = pytest.mark.needs("systemctl")
CELLS = [
    pytest.param(way, shell, id=f"{shell}-{way}", marks=[SYSTEMD] if way == "graphical" else [])
    for way, (_, shells) in WAYS.items()
    for shell in shells
]
OURS = ".local/share/zesty-anchor/"


@pytest.mark.parametrize(("way", "shell"), CELLS)
def test_each_shell_in_each_context(settled: Desk, way: str, shell: str) -> None:
    settled.well("list")  # the next command of ours: the launchers know kelp-env after it
    run = WAYS[way][0]
    lines = "kelp-env\ncd project/deep\nkelp-env\ncd ../..\nkelp-env\nprintenv PATH"
    shown = run(settled, shell, lines, {}).splitlines()
    default, project, back = (line for line in shown if "|" in line)
    (path,) = (line for line in shown if "/usr/bin:" in line)
    gauge = "north quay, $5 a day"
    assert default.endswith(f"4.2.1|{gauge}|4.2.1")
    assert project.endswith(f"3.6.2|{gauge}|3.6.2")
    assert back.endswith(f"4.2.1|{gauge}|4.2.1")
    folders = path.split(" ")[-1].split(":")
    assert len(folders) == len(set(folders))
    if way not in ("cron", "editor") or (shell in ("zsh", "fish", "tcsh") and way == "cron"):
        assert next(f for f in folders if f.startswith(f"{settled.home}/")) == f"{settled.home}/bin"
        assert f"{settled.home}/{OURS}bin" in folders
    of_session = run(settled, shell, "cd project\nkelp-env", {"ZESTY_ANCHOR_SESSION": "kelp=4.1.0"})
    assert f"4.1.0|{gauge}|4.1.0\n" in of_session


@pytest.mark.needs("sshd", "ssh")
@pytest.mark.skipif(os.geteuid() != 0, reason="sshd is started as root, as it is meant to")
def test_a_command_over_a_real_ssh_connection(settled: Desk, tmp_path: Path) -> None:
    """Debian's bash reads .bashrc then, whose guard returns at once: our block above it counts."""
    settled.well("list")  # the launchers know kelp-env after it
    for name in ("host", "user"):
        subprocess.run(["ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", tmp_path / name], check=True)
    shutil.copy(tmp_path / "user.pub", tmp_path / "authorized")
    # sshd takes the home from passwd(5); the command puts ours in its place and starts bash as sshd would.
    force = (
        f'exec env -i HOME={settled.home} PATH=/usr/bin:/bin SSH_CLIENT="$SSH_CLIENT" bash -c "cd;'
        ' $SSH_ORIGINAL_COMMAND"'
    )
    (tmp_path / "config").write_text(
        f"HostKey {tmp_path}/host\nAuthorizedKeysFile {tmp_path}/authorized\nStrictModes no\nUsePAM no\n"
        f"PermitRootLogin prohibit-password\nForceCommand {force}\nPidFile none\n"
    )
    Path("/run/sshd").mkdir(exist_ok=True)
    proxy = f"ProxyCommand={PROGRAMS['sshd']} -i -f {tmp_path}/config -E {tmp_path}/log"
    done = subprocess.run(
        ["ssh", "-F", "none", "-i", tmp_path / "user", "-o", proxy, "-o", "StrictHostKeyChecking=no", "-o",
         f"UserKnownHostsFile={tmp_path}/known", "root@desk", "kelp-env; cd project; kelp-env"],
        capture_output=True, text=True, timeout=60, check=False,
    )  # fmt: skip
    gauge = "north quay, $5 a day"
    assert done.stdout.split("\n")[:2] == [f"4.2.1|{gauge}|4.2.1", f"3.6.2|{gauge}|3.6.2"], done.stderr
