"""The process that keeps its rights while the program gives up its own."""

from __future__ import annotations

import subprocess
import sys

from zesty_anchor.system.root_hand import run_here


def test_a_command_is_heard_line_by_line_and_its_status_comes_back() -> None:
    heard: list[str] = []
    assert run_here(("sh", "-c", "echo one; echo two >&2; exit 3"), heard.append) == 3
    assert sorted(heard) == ["one", "two"]
    assert run_here(("no-such-program",), heard.append) == 127
    assert "no-such-program" in heard[-1]


def test_the_hand_answers_again_and_again_and_ends_with_its_owner() -> None:
    script = (
        "from zesty_anchor.system.root_hand import RootHand\n"
        "hand = RootHand()\n"
        "lines = []\n"
        "print(hand.run(('sh', '-c', 'echo \"ein \\u00e4\"; exit 4'), lines.append), lines)\n"
        "print(hand.run(('true',), lines.append))\n"
    )
    done = subprocess.run(
        [sys.executable, "-c", script], capture_output=True, text=True, timeout=30, check=True
    )
    assert done.stdout == "4 ['ein ä']\n0\n"


def test_a_hand_keeps_the_rights_that_its_owner_gives_up() -> None:
    import os

    import pytest

    if os.geteuid() != 0:
        pytest.skip("giving up rights needs some")
    script = (
        "import os\nfrom zesty_anchor.system.root_hand import RootHand\n"
        "hand = RootHand(); os.setgid(4242); os.setuid(4242); said = []\n"
        "hand.run(('id', '-u'), said.append); print(os.getuid(), said)"
    )
    done = subprocess.run(
        [sys.executable, "-c", script], capture_output=True, text=True, timeout=30, check=True
    )
    assert done.stdout == "4242 ['0']\n"
