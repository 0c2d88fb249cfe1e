"""What would stop a run is said before anything is fetched, asked or changed."""

from __future__ import annotations

import os
import subprocess
from collections.abc import Callable
from pathlib import Path

import pytest

from tests.conftest import PROGRAM, PROGRAMS, Answer, Desk, is_root
from zesty_anchor.system.obstacles import obstacles

pytestmark = pytest.mark.needs("bash")


def in_shell(desk: Desk, before: str, command: str = "provision") -> tuple[int, str]:
    """Run the program in a shell after some commands; the exit status, and all that was printed."""
    done = subprocess.run(
        [PROGRAMS["bash"], "-c", f'{before}\nexec "$0" {command}', str(PROGRAM)], cwd=desk.home, text=True,
        env={"HOME": str(desk.home), "PATH": "/usr/sbin:/usr/bin:/bin", "LANG": "C.UTF-8"},
        stdin=subprocess.DEVNULL, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, check=False, timeout=120,
    )  # fmt: skip
    return done.returncode, " ".join(done.stdout.split())


@pytest.mark.parametrize(
    ("limit", "said", "advice"),
    [
        ("ulimit -n 40", "allows 40 open files", "ulimit -n 1024"),
        ("ulimit -f 100", "no file larger than 100 KiB", "ulimit -f unlimited"),
    ],
)
def test_limits_of_the_shell(desk: Desk, limit: str, said: str, advice: str) -> None:
    desk.wants('[shells]\nuse = ["bash"]\n')
    before = desk.likeness()
    code, shown = in_shell(desk, limit)
    assert code == 1 and said in shown and advice in shown and "nothing was changed" in shown, shown
    assert desk.likeness() == before
    assert (
        f"a run would stop: this shell allows {said.split('allows ')[-1].removeprefix('no ')}"[:20]
        in (in_shell(desk, limit, "preview")[1])
    )
    code, shown = in_shell(desk, "ulimit -S -n 40")
    assert code == 0, f"a limit that may be raised is raised: {shown}"


@pytest.mark.needs("unshare")
@pytest.mark.skipif(not is_root(), reason="to mount a disk needs root")
@pytest.mark.parametrize(
    ("options", "said"),
    [
        ("noexec", "mounted with noexec"),
        ("ro", "mounted read-only"),
    ],
)
def test_the_disk_of_the_versions(desk: Desk, options: str, said: str) -> None:
    desk.wants('[shells]\nuse = ["bash"]\n')
    data = desk.home / ".local/share"
    data.mkdir(parents=True)
    mount = f"mount -t tmpfs -o {options} tide {data} || exit 9"
    done = subprocess.run(
        [PROGRAMS["unshare"], "--mount", "--propagation", "private", PROGRAMS["bash"], "-c",
         f'{mount}\n"$0" preview; "$0" provision', str(PROGRAM)],
        env={"HOME": str(desk.home), "PATH": "/usr/sbin:/usr/bin:/bin", "LANG": "C.UTF-8"}, cwd=desk.home,
        stdin=subprocess.DEVNULL, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True, check=False,
    )  # fmt: skip
    shown = " ".join(done.stdout.split())
    assert done.returncode == 1 and shown.count(said) == 2, shown
    assert ".local/share" in shown and "XDG_DATA_HOME" in shown
    assert not (desk.home / ".bashrc").exists()


def test_the_clock_and_no_obstacle(tmp_path: Path) -> None:
    assert list(obstacles(tmp_path / "none/yet", 1000, str)) == []
    (clock,) = obstacles(tmp_path, 0, str, now=86_400.0)
    assert "says 1970-01-02" in clock.what and "set the clock" in clock.advice
    (room,) = obstacles(tmp_path, 1 << 50, str)
    assert str(tmp_path) in room.what and "prune" in room.advice
    assert os.path.isdir(tmp_path)


@pytest.mark.needs("setpriv")
@pytest.mark.parametrize("limit", [2, 4, 12, 40])
def test_too_few_processes_are_told_without_a_traceback(
    desk: Desk, ordinary: Callable[..., Answer], limit: int
) -> None:
    """Linux holds root to no such limit, so this is an ordinary user."""
    desk.wants('[shells]\nuse = ["bash"]\n')
    for command in ("provision --yes", "preview", "survey", "verify", "list"):
        words = f'ulimit -u {limit}; exec "$0" {command}'
        done = ordinary("-c", words, str(PROGRAM), program=PROGRAMS["bash"])
        shown = " ".join((done.out + done.err).split())
        assert "Traceback" not in shown and "unexpected" not in shown, shown
        if command.startswith("provision"):
            assert done.code == 1 and "ulimit -u" in shown, shown
            assert "processes" in shown and not desk.shelf.exists()
