"""The program itself is upgraded, or stands elsewhere: shells go on, and its generated files follow."""

from __future__ import annotations

import shutil
import subprocess
import sys
from pathlib import Path

import pytest

import zesty_anchor
from tests.conftest import Desk

pytestmark = pytest.mark.needs("bash", "zsh")
HEAD = 'HEAD = """\\\n'


def older(folder: Path) -> Path:
    """A program of another version, which writes other generated files: its source with two lines changed."""
    source = folder / "zesty_anchor"
    shutil.copytree(Path(zesty_anchor.__file__).parent, source, ignore=shutil.ignore_patterns("__pycache__"))
    init, head = source / "__init__.py", source / "shells/posix.py"
    init.write_text(init.read_text().replace(zesty_anchor.__version__, "0.0.9"))
    text = head.read_text()
    assert text.count("HEAD = ") == 1 and zesty_anchor.__version__ != "0.0.9"
    head.write_text(text + '\nHEAD += "# as an older program wrote it\\n"\n')
    return folder


def run(folder: Path, desk: Desk, *words: str) -> str:
    script = "import sys; sys.argv[0] = 'zesty-anchor'; from zesty_anchor.commands import run; run()"
    done = subprocess.run(
        [sys.executable, "-c", script, *words],
        env={
            "HOME": str(desk.home),
            "PATH": "/usr/bin:/bin",
            "PYTHONPATH": str(folder),
            "SHELL": "/bin/bash",
        },
        cwd=desk.home,
        capture_output=True,
        text=True,
        check=False,
    )
    assert done.returncode == 0, done.stdout + done.stderr
    return done.stdout + done.stderr


@pytest.fixture(scope="module")
def program(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """An older program, made once: it takes its time to be compiled."""
    return older(tmp_path_factory.mktemp("older") / "program")


@pytest.fixture
def before(desk: Desk, program: Path) -> Path:
    """A home that an older program provisioned."""
    desk.wants('[shells]\nuse = ["bash", "zsh"]\n[variables]\nGAUGE = "north"\n')
    run(program, desk, "provision")
    return program


def generated(desk: Desk) -> dict[str, bytes]:
    folder = desk.home / ".local/share/zesty-anchor/shell"
    return {file.name: file.read_bytes() for file in folder.iterdir()}


@pytest.mark.parametrize("command", ["verify", "provision"])
def test_the_next_command_brings_them_in_step_and_says_so_once(
    desk: Desk, before: Path, command: str
) -> None:
    assert any(b"an older program" in text for text in generated(desk).values())
    assert desk.well("status").code == 0, "nothing of it was changed by anybody"
    told = desk.run(command)
    assert told.code == 0, told.out + told.err
    assert f"for zesty-anchor {zesty_anchor.__version__}" in told.err and "since installation" not in told.out
    assert not any(b"an older program" in text for text in generated(desk).values())
    assert len(desk.well("undo", "--list", "--json").json["runs"]) == 1, "no run of its own"
    again = desk.well(command)
    assert "for zesty-anchor" not in again.err
    assert desk.shell("bash", "kelp --version; echo $GAUGE", "-i").splitlines() == ["kelp 4.2.1", "north"]
    for shown in ("verify", "status"):
        assert desk.run(shown).code == 0
    desk.well("dismantle", "--yes")
    assert not (desk.home / ".local").exists() and not (desk.home / "kept-by-zesty-anchor").exists()


def test_one_that_somebody_changed_is_reported_as_that(desk: Desk, before: Path) -> None:
    file = next((desk.home / ".local/share/zesty-anchor/shell").glob("*.bash"))
    file.write_bytes(file.read_bytes() + b"# mine\n")
    told = desk.run("verify")
    assert told.code == 6 and "changed since installation" in told.out and b"# mine" in file.read_bytes()


def test_a_manifest_that_was_changed_too_is_pending(desk: Desk, before: Path) -> None:
    desk.write(desk.manifest.read_text().replace("north", "south"))
    assert desk.run("verify").code == 3
    desk.well("provision")
    assert desk.shell("zsh", "echo $GAUGE", "-l").strip() == "south"


def test_an_older_program_beside_it_does_no_harm(desk: Desk, before: Path) -> None:
    desk.well("verify")
    assert "for zesty-anchor 0.0.9" in run(before, desk, "verify")
    assert desk.run("verify").code == 0
    desk.well("undo")
    assert not (desk.home / ".local/share/zesty-anchor/shell").exists()
