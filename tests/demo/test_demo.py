"""The demo, and the made-up runtimes that it ships."""

from __future__ import annotations

import os
import shutil
import subprocess
from pathlib import Path

import pexpect
import pytest

from tests.conftest import PROGRAM, Desk, is_root, kelp
from zesty_anchor.demo import system_copy
from zesty_anchor.demo.home import likeness

pytestmark = pytest.mark.needs("bash", "zsh")


@pytest.mark.sees_system
def test_the_demo_goes_through_and_leaves_the_system_alone(desk: Desk) -> None:
    before = likeness(desk.home)
    answer = desk.well("demo")
    for word in (
        "survey",
        "preview",
        "provision",
        "Nothing to do",
        "history",
        "undo",
        "dismantle",
        "old-kelp",
    ):
        assert word in answer.out
    assert answer.out.count("byte for byte as it was before") == 2
    assert likeness(desk.home) == before, "the person's own home is not touched"
    assert "tide-kelp" not in answer.out and not system_copy.PROGRAM.exists()


def test_three_things_are_broken_found_and_fixed(desk: Desk) -> None:
    answer = desk.well("demo", "broken")
    found, repaired = answer.out.split("2. A bad day.")[1].split("4. Fix it.")
    for words in (
        "failed",
        "shelf/kelp/4.2.1/bin/kelp",
        "~/.bashrc",
        "shelf/coral/11.0.4/bin/coral",
        "zesty-anchor provision",
    ):
        assert words in found, words
    assert "checks passed" in repaired and "byte for byte as it was before, our journal included" in repaired


@pytest.mark.system
def test_with_the_system_a_package_comes_and_goes_and_the_home_can_be_entered(
    desk: Desk, tmp_path: Path
) -> None:
    answer = desk.well("demo", "--system", "--keep", str(tmp_path / "kept"))
    if is_root() and shutil.which("apt-get"):
        assert "of Debian package tide-kelp" in answer.out
        assert "restored:       tide-kelp" in answer.out
        assert not system_copy.PROGRAM.exists(), "the package is taken out at the end"
    else:
        assert "the kelp of a Debian package is left out" in answer.out
    done = subprocess.run(
        ["sh", str(tmp_path / "kept/enter")],
        input=f"{PROGRAM} provision --trust workstation.toml && . ~/.profile && kelp bulletin.kelp\n",
        capture_output=True,
        text=True,
        check=False,
        timeout=60,
        env={**os.environ, "SHELL": "/bin/bash"},
    )
    assert "high water at the north quay: 41 dm" in done.stdout, done.stdout + done.stderr
    assert desk.run("demo", "--keep", str(tmp_path / "kept")).code == 2


def test_a_step_waits_for_the_person(desk: Desk, tmp_path: Path) -> None:
    (tmp_path / "rooms").mkdir()
    child = pexpect.spawn(
        str(PROGRAM), ["demo", "broken", "--steps"], cwd=str(desk.home), encoding="utf-8", dimensions=(50,
        120),
        env={"HOME": str(desk.home), "PATH": "/usr/bin:/bin", "TERM": "xterm", "LANG": "C.UTF-8",
        "TMPDIR": str(tmp_path / "rooms")},
        timeout=100,
    )  # fmt: skip
    child.expect("1. Provision")
    child.expect("Enter goes on")
    assert "2. A bad day" not in child.before
    child.sendline("")
    child.expect("2. A bad day")
    child.expect("Enter goes on")
    child.sendintr()
    child.expect(pexpect.EOF)
    child.close()
    assert child.exitstatus == 130 and not list((tmp_path / "rooms").glob("zesty-anchor-demo-*"))


@pytest.mark.parametrize(
    ("text", "said", "code"),
    [
        ("let place quay\nsay {place} and {place}\n", "quay and quay\n", 0),
        ("let a 3\nadd a 4\nwhen a OVER 6 say seven\nwhen a OVER 7 say no\n", "seven\n", 0),
        ("# nothing\n\nnonsense\n", "", 1),
    ],
)
def test_kelp_is_a_real_interpreter(tmp_path: Path, text: str, said: str, code: int) -> None:
    program = tmp_path / "kelp"
    program.write_bytes(kelp("4.2.1")["bin/kelp"][0])
    (tmp_path / "b.kelp").write_text(text)
    done = subprocess.run(
        ["sh", str(program), str(tmp_path / "b.kelp")], capture_output=True, text=True, check=False
    )
    assert (done.stdout, done.returncode) == (said, code)


def test_without_a_compiler_the_package_is_named(desk: Desk, tmp_path: Path) -> None:
    for name in ("sh", "bash", "zsh"):
        (tmp_path / "bin").mkdir(exist_ok=True)
        (tmp_path / "bin" / name).symlink_to(f"/bin/{name}")
    desk.environment["PATH"] = str(tmp_path / "bin")
    answer = desk.well("demo")
    assert "no C compiler, so brine is left out" in answer.out
    assert "apt-get install gcc" in answer.out
