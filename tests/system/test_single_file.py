"""The beginning of the program in one file, with a made-up interpreter behind it: it unpacks once, checks
what it has, and says what is wrong. The file itself is tried by scripts/fresh-machine single.
"""

from __future__ import annotations

import os
import runpy
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import pytest

from tests.conftest import PROGRAMS
from zesty_anchor.system import own_program
from zesty_anchor.system.problem import UsageProblem

SINGLE = Path(__file__).parents[2] / "scripts/single"
PYTHON = """#!/bin/sh
[ "$*" != "-I -c " ] || exit ${BROKEN:-0}
echo "$ZESTY_ANCHOR_FILE|${0%/bin/*}"
shift 2
for word; do printf '<%s>' "$word"; done
exit 7
"""
Run = Callable[..., subprocess.CompletedProcess[str]]


@pytest.fixture
def one(tmp_path: Path) -> tuple[Path, Run]:
    tree = tmp_path / "tree"
    (tree / "bin").mkdir(parents=True)
    (tree / "bin/python3").write_text(PYTHON)
    (tree / "bin/python3").chmod(0o755)
    (tree / "single-file").touch()
    pack = runpy.run_path(str(SINGLE / "pack"))
    file = tmp_path / "zesty-anchor-linux"
    file.write_bytes(pack["joined"]((SINGLE / "begin.sh").read_text(), pack["packed"](tree), "0.2.0"))
    file.chmod(0o755)
    home = tmp_path / "home"
    home.mkdir()

    def run(*words: str, **environment: str) -> subprocess.CompletedProcess[str]:
        given = {"HOME": str(home), "PATH": "/usr/bin:/bin", **environment}
        return subprocess.run([str(file), *words], env=given, capture_output=True, text=True, check=False)

    return file, run


def unpacked(folder: Path) -> list[Path]:
    return sorted(folder.glob("zesty-anchor-program/*"))


def test_it_unpacks_once_and_passes_on_what_it_is_given(one: tuple[Path, Run], tmp_path: Path) -> None:
    file, run = one
    cache = tmp_path / "home/.cache"
    for _ in range(2):
        done = run("a b", "", "$c")
        (folder,) = unpacked(cache)
        assert (done.returncode, done.stdout) == (7, f"{file}|{folder}\n<a b><><$c>"), done.stderr
    assert folder.stat().st_mode & 0o777 == 0o700 and folder.name.startswith("0.2.0-")
    before = folder.stat().st_ino
    run()
    assert unpacked(cache)[0].stat().st_ino == before
    run(XDG_CACHE_HOME=str(tmp_path / "other"))
    assert len(unpacked(tmp_path / "other")) == 1
    run(XDG_CACHE_HOME="relative")
    assert not Path("relative").exists()


def test_several_that_start_at_once_agree(one: tuple[Path, Run], tmp_path: Path) -> None:
    file, _ = one
    environment = {"HOME": str(tmp_path / "home"), "PATH": "/usr/bin:/bin"}
    started = [subprocess.Popen([file], env=environment, stdout=subprocess.DEVNULL) for _ in range(8)]
    assert [each.wait(60) for each in started] == [7] * 8
    assert len(unpacked(tmp_path / "home/.cache")) == 1


@pytest.mark.needs("dash", "bash", "ksh", "mksh")
@pytest.mark.parametrize("shell", ["dash", "bash", "ksh", "mksh"])
def test_each_shell_of_the_system_reads_its_beginning(
    one: tuple[Path, Run], tmp_path: Path, shell: str
) -> None:
    file, _ = one
    environment = {"HOME": str(tmp_path / "home"), "PATH": "/usr/bin:/bin"}
    words = [PROGRAMS[shell], str(file), "--version"]
    done = subprocess.run(words, env=environment, capture_output=True, text=True, check=False)
    assert (done.returncode, done.stdout.endswith("<--version>")) == (7, True), done.stderr


@pytest.mark.parametrize(
    ("what", "said"),
    [
        ("a byte", "is damaged"),
        ("cut off", "is damaged"),
        ("another folder", "is not complete, or belongs to somebody else"),
        ("noexec", "noexec"),
        ("no cache", "cannot be made"),
    ],
)
def test_what_is_wrong_is_said_and_nothing_is_left(
    one: tuple[Path, Run], tmp_path: Path, what: str, said: str
) -> None:
    file, run = one
    cache, environment = tmp_path / "home/.cache", {}
    if what == "a byte":
        content = bytearray(file.read_bytes())
        content[-20] ^= 1
        file.write_bytes(content)
    elif what == "cut off":
        file.write_bytes(file.read_bytes()[:-100])
    elif what == "another folder":
        run()
        (unpacked(cache)[0] / "single-file").unlink()
    elif what == "noexec":
        environment["BROKEN"] = "126"
    else:
        cache.write_text("a file")
    done = run(**environment)
    assert done.returncode == 1 and said in done.stderr and "next:" in done.stderr, done.stderr
    left = [each for each in unpacked(cache) if what != "another folder"] if cache.is_dir() else []
    assert not left


def test_it_calls_itself_by_its_file_and_goes_with_it(
    one: tuple[Path, Run], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    file, run = one
    with pytest.raises(UsageProblem, match="installed by pip"):
        own_program.remove_program(str(file), {})
    run()
    (folder,) = unpacked(tmp_path / "home/.cache")
    mine = folder.parent / "notes"
    mine.write_text("mine")
    monkeypatch.setattr(sys, "prefix", str(folder))
    assert own_program.own_words(str(file), {}) == (str(file),)
    assert own_program.own_words(file.name, {"PATH": f"/nowhere:{file.parent}"}) == (str(file),)
    inside = (sys.executable, "-I", str(folder / "bin/zesty-anchor"))
    assert own_program.own_words(str(folder / "lib/zesty_anchor/__main__.py"), {}) == inside
    assert own_program.remove_program(str(file), {}) == [str(folder), str(file)]
    assert not file.exists() and os.listdir(folder.parent) == ["notes"]
