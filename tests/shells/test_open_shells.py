"""A shell that is open goes on working, whatever becomes of us in another window."""

from __future__ import annotations

import shutil
import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import pexpect
import pytest

from tests.commands.conftest import BOTH, MORE
from tests.conftest import SHELLS, Desk
from zesty_anchor.system.host import login_path

FOLLOWING = [
    pytest.param(name, marks=pytest.mark.needs(name)) for name in ("bash", "zsh", "fish", "ksh", "mksh")
]
HARMS = {
    "undo": "undo",
    "dismantle": "dismantle --yes",
    "what it reads later is gone": "rm .local/share/zesty-anchor/shell/follow.*",
    "what it reads later is empty": "for f in .local/share/zesty-anchor/shell/follow.*; do : >$f; done",
    "all is gone": "rm -r .local/share/zesty-anchor .local/state/zesty-anchor .cache/zesty-anchor",
}
MOST = 4_000
"""As many letters may come on the terminal of a shell in which a dozen lines were typed."""


@contextmanager
def opened(desk: Desk, shell: str, folder: Path) -> Iterator[Any]:
    environment = {"HOME": str(desk.home), "PATH": login_path(), "TERM": "dumb", "LANG": "C.UTF-8"}
    child = pexpect.spawn(
        SHELLS[shell], ["-i"], env=environment, cwd=str(folder), timeout=20, dimensions=(50, 200), echo=False
    )
    child.delaybeforesend = 0.05
    try:
        yield child
    finally:
        child.close(force=True)


def typed(child: Any, line: str, mark: str) -> str:
    """Type a line; what the terminal shows until the mark comes back."""
    child.sendline(f"{line}; echo {mark[:2]}''{mark[2:]}")
    child.expect_exact(mark.encode())
    return str(child.before.decode("utf-8", "replace"))


@pytest.mark.parametrize("harm", HARMS)
@pytest.mark.parametrize("shell", FOLLOWING)
def test_an_open_shell_goes_on(desk: Desk, shell: str, harm: str) -> None:
    desk.wants(MORE.replace('use = "all"', f'use = ["{shell}"]'), BOTH)
    desk.well("provision")
    for name, version in (("old", "3.6"), ("older", "4.1")):
        desk.write(f"{version}\n", f"{name}/.kelp-version")
    with opened(
        desk, shell, Path("/")
    ) as child:  # it has looked at no project yet, and read one file of ours alone
        assert "kelp 4.2.1" in typed(child, "kelp --version", "QQ1")
        script = HARMS[harm]
        if script.split()[0] in ("undo", "dismantle"):
            desk.well(*script.split())
        else:
            subprocess.run(["/bin/sh", "-ec", script], cwd=desk.home, check=True)
        shown = ""
        for number, line in enumerate(
            ("cd ~/old", "echo he''re", "cd ..", "cd older", "cd ../old", "za list", "cd ..", "echo he''re"),
            2,
        ):
            shown += typed(child, line, f"QQ{number}")
        assert shown.count("here") >= 2
        assert len(shown) < MOST, shown[:MOST]
        assert child.isalive()


@pytest.mark.parametrize("shell", FOLLOWING)
def test_without_the_program_a_shell_says_so_and_goes_on(desk: Desk, shell: str, tmp_path: Path) -> None:
    program = tmp_path / "bin/zesty-anchor"
    program.parent.mkdir()
    program.write_text(f"#!{sys.executable}\nfrom zesty_anchor.commands import run\nrun()\n")
    program.chmod(0o755)
    desk.wants(MORE.replace('use = "all"', f'use = ["{shell}"]'), BOTH)
    done = subprocess.run(
        [program, "provision"], cwd=desk.home, env={"HOME": str(desk.home), "PATH": login_path()},
        capture_output=True, text=True,
        check=False,
    )  # fmt: skip
    assert done.returncode == 0, done.stdout + done.stderr
    shutil.rmtree(program.parent)
    desk.write("3.6\n", "old/.kelp-version")
    with opened(desk, shell, desk.home) as child:
        assert "kelp 4.2.1" in typed(child, "kelp --version", "QQ1"), "the hook goes on"
        told = typed(child, "za list", "QQ2")
        assert "is not installed any more" in told and "pip install" in told and len(told.split("\n")) <= 4
        told = typed(child, "cd old", "QQ3")
        assert "what it pins is not known" in told, "a new pin does not silently fall to the default"
        assert "what it pins is not known" not in typed(child, "cd ..; cd old", "QQ4"), "told once"
    launcher = desk.home / ".local/share/zesty-anchor/bin/kelp"
    assert (
        subprocess.run(
            [launcher, "--version"], cwd=desk.home, capture_output=True, text=True, check=False
        ).stdout
        == "kelp 4.2.1\n"
    )
