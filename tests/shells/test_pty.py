"""The one place that opens a terminal: what it leaves behind, and how soon."""

from __future__ import annotations

import os
import time
from pathlib import Path

import pexpect
import pytest

from zesty_anchor.shells.pty import under_pty
from zesty_anchor.system.host import login_path

STUBBORN = "trap '' HUP INT TERM; echo here; while :; do sleep 0.1; done"


def gone(process: int) -> bool:
    """Whether a process has ended."""
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return True
    return False


@pytest.mark.parametrize(
    "script", ["echo here; sleep 100", STUBBORN, "echo here", "echo here; exec >&- 2>&- <&-; sleep 100"]
)
def test_a_program_is_ended_when_it_is_left(script: str, tmp_path: Path) -> None:
    with under_pty(["/bin/sh", "-c", script], {"PATH": login_path()}, tmp_path, seconds=20) as child:
        child.expect_exact(b"here")
        process = child.pid
    assert gone(process)


def test_one_that_has_ended_is_not_waited_for(tmp_path: Path) -> None:
    """Twenty of them took four seconds by pexpect's own pauses."""
    began = time.monotonic()
    for _ in range(20):
        with under_pty(["/bin/true"], {}, tmp_path, seconds=20) as child:
            child.expect(pexpect.EOF)
    assert child.exitstatus == 0
    assert time.monotonic() - began < 4


def test_a_program_that_is_not_there(tmp_path: Path) -> None:
    with pytest.raises(FileNotFoundError), under_pty(["/no/such"], {}, tmp_path, seconds=1):
        pass
