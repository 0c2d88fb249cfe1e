"""The one place that opens a terminal: what it leaves behind, and how soon."""

from __future__ import annotations

import errno
import os
import re
import resource
import signal
import time
from pathlib import Path

import pexpect
import pytest

from tests.conftest import until
from zesty_anchor.shells.pty import under_pty, wait_for
from zesty_anchor.shells.together import never
from zesty_anchor.system.at_login import limits_of_init, login_umask
from zesty_anchor.system.host import login_path
from zesty_anchor.system.problem import Problem
from zesty_anchor.system.process import lives

OPEN_FILES = resource.getrlimit(resource.RLIMIT_NOFILE)
STUBBORN = "trap '' HUP INT TERM; echo here; while :; do sleep 0.1; done"


@pytest.mark.parametrize(
    "script", ["echo here; sleep 100", STUBBORN, "echo here", "echo here; exec >&- 2>&- <&-; sleep 100"]
)
def test_a_program_is_ended_when_it_is_left(script: str, tmp_path: Path) -> None:
    with under_pty(["/bin/sh", "-c", script], {"PATH": login_path()}, tmp_path, seconds=20) as child:
        child.expect_exact(b"here")
        process = child.pid
    assert not lives(process)


def test_one_that_has_ended_is_not_waited_for(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Twenty of them took four seconds by pexpect's own pauses, of a twentieth of a second and more each."""
    pauses: list[float] = []
    sleep = time.sleep
    monkeypatch.setattr(time, "sleep", lambda seconds: (pauses.append(seconds), sleep(seconds)))
    with under_pty(["/bin/true"], {}, tmp_path, seconds=20) as child:
        child.expect(pexpect.EOF)
    assert child.exitstatus == 0
    assert max(pauses, default=0.0) < 0.05


def test_what_it_said_just_before_it_ended_counts(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """pexpect calls it over where a program speaks and ends between two looks of its; that a slow machine
    does often.
    """
    with under_pty(["/bin/sh", "-c", "echo here"], {"PATH": login_path()}, tmp_path, seconds=20) as child:

        def over(size: int = 1, timeout: float | None = -1) -> bytes:
            assert until(lambda: not child.isalive())
            raise pexpect.EOF("Very slow platform.")

        monkeypatch.setattr(child, "read_nonblocking", over)
        assert wait_for(child, b"here", 20, never)
    with under_pty(["/bin/true"], {}, tmp_path, seconds=20) as child:
        assert not wait_for(child, b"here", 20, never)


@pytest.mark.parametrize("ours", ["as at login", "otherwise"])
def test_it_starts_as_a_login_would_start_it(ours: str, tmp_path: Path) -> None:
    """Whatever we ourselves were started with: a umask, a limit, and signals that are let go by
    (nohup(1)).
    """
    umask, hangup = os.umask(0o077), signal.getsignal(signal.SIGHUP)
    try:
        if ours == "otherwise":
            resource.setrlimit(resource.RLIMIT_NOFILE, (200, resource.getrlimit(resource.RLIMIT_NOFILE)[1]))
            signal.signal(signal.SIGHUP, signal.SIG_IGN)
        script = (
            "umask; ulimit -Sn; tr '\\n' ' ' </proc/self/status; echo; exec </dev/tty && tty; echo led >&9"
        )
        channels = {0: Path("/dev/null"), 9: tmp_path / "nine"}
        with under_pty(
            ["/bin/sh", "-c", script], {"PATH": login_path()}, tmp_path, seconds=20, channels=channels
        ) as child:
            child.expect(pexpect.EOF)
        rows = child.before.decode().splitlines()
    finally:
        os.umask(umask)
        signal.signal(signal.SIGHUP, hangup)
        resource.setrlimit(resource.RLIMIT_NOFILE, OPEN_FILES)
    assert int(rows[0], 8) == login_umask()
    assert rows[1] == str(limits_of_init()[resource.RLIMIT_NOFILE]) or int(rows[1]) > 200
    assert re.search(r"SigIgn:\s0+ ", rows[2]) and rows[3].startswith("/dev/")
    assert (tmp_path / "nine").read_text() == "led\n"


def test_a_program_that_is_not_there(tmp_path: Path) -> None:
    with pytest.raises(FileNotFoundError), under_pty(["/no/such"], {}, tmp_path, seconds=1):
        pass


def test_a_system_without_terminals_is_named_as_that(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """As in a chroot without /dev/pts."""

    def none() -> tuple[int, int]:
        raise OSError(errno.ENODEV, os.strerror(errno.ENODEV))

    monkeypatch.setattr("zesty_anchor.shells.pty.os.openpty", none)
    wanted = "no terminal can be opened for a new shell: No such device"
    with (
        pytest.raises(Problem, match=wanted) as caught,
        under_pty(["sh"], {"PATH": "/bin"}, tmp_path, seconds=5),
    ):
        pass
    assert "devpts" in caught.value.advice
