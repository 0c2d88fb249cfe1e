"""Two commands at once, begun at random moments beside one another: one waits or is refused, and undo is byte
for byte.

A few rounds by default; ``sh scripts/faults`` sets ZESTY_ANCHOR_FAULTS=all and runs 200, on a machine that
has other work.
"""

from __future__ import annotations

import random
import subprocess
import sys
import time
from collections.abc import Iterator

import pytest

from tests.conftest import PROGRAM, Desk
from tests.faults.test_kills import ALL, COUNTED
from zesty_anchor.demo.home import likeness
from zesty_anchor.system.host import login_path

pytestmark = pytest.mark.needs("bash", "zsh")
COMMANDS = (
    ("provision",),
    ("provision",),
    ("undo", "--yes"),
    ("switch", "--default", "kelp", "3.6"),
    ("switch", "--default", "kelp", "4.2"),
    ("verify",),
    ("dismantle", "--yes"),
)
ANSWERS = {0, 1, 2, 3, 4, 6}
"""1: another one is at work, or nothing is left to be taken back."""


@pytest.fixture
def other_work() -> Iterator[None]:
    """Two processes that never wait."""
    busy = [subprocess.Popen([sys.executable, "-c", "while True: pass"]) for _ in range(2 if ALL else 0)]
    yield
    for each in busy:
        each.kill()
        each.wait()


def begun(desk: Desk, words: tuple[str, ...]) -> subprocess.Popen[str]:
    return subprocess.Popen(
        [str(PROGRAM), *words], cwd=desk.home, stdin=subprocess.DEVNULL, stdout=subprocess.PIPE,
        stderr=subprocess.STDOUT, text=True,
        env={"HOME": str(desk.home), "PATH": login_path(), "LANG": "C.UTF-8"},
    )  # fmt: skip


@pytest.mark.usefixtures("other_work")
@pytest.mark.parametrize("part", range(20 if ALL else 2))
def test_two_commands_at_once(desk: Desk, part: int) -> None:
    seed = random.randrange(1 << 30)
    dice = random.Random(seed)
    desk.write("alias t=ls\nexport EDITOR=vi", ".bashrc")
    desk.write("umask 022\n", ".profile")
    desk.wants('[variables]\nAT = "{kelp}"\n')
    before = likeness(desk.home, (".local/state/zesty-anchor", ".cache", "workstation.toml"))
    for number in range(10 if ALL else 2):
        both, told = [dice.choice(COMMANDS) for _ in range(2)], []
        if dice.random() < 0.7:
            desk.run("provision")
        running = []
        for words in both:
            running.append(begun(desk, words))
            time.sleep(dice.uniform(0, 1.2))
        for words, each in zip(both, running, strict=True):
            said, _ = each.communicate(timeout=120)
            told.append(f"{words}: {each.returncode}\n{said}")
            assert each.returncode in ANSWERS and "Traceback" not in said, (seed, number, said)
        while desk.run("undo", "--yes").code == 0:
            pass
        ended = desk.run("dismantle", "--yes")
        assert ended.code == 0, (seed, number, ended.out + ended.err)
        after = likeness(desk.home, (".local/state/zesty-anchor", ".cache", "workstation.toml"))
        assert after == before, (seed, number, told, sorted(after.items() ^ before.items()))
        if COUNTED:
            with open(COUNTED, "a", encoding="ascii") as file:
                file.write("beside\n")
        desk.wants('[variables]\nAT = "{kelp}"\n')
