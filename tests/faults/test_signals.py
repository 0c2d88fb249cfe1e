"""A hangup, a termination and Ctrl-C end the program alike: with all that it started, what was under way
taken back.
"""

from __future__ import annotations

import http.server
import os
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.conftest import PROGRAM, Desk, until
from tests.faults.world import OURS
from zesty_anchor.demo.home import likeness
from zesty_anchor.demo.wares import pack, write_runtime
from zesty_anchor.system.host import login_path

pytestmark = pytest.mark.needs("bash", "zsh")
SECONDS = 20.0
"""How long the end may take: well below what was waited for, on the slowest machine. benchmarks/run measures
it.
"""

BUILD = """
as-root = "allowed"
[shells]
use = ["bash"]
[feeds.harbour]
kind = "folder"
url = "{home}/feed"
[runtimes.kelp]
want = "1.0"
[recipes.kelp]
commands = ["kelp"]
[recipes.kelp.build]
steps = ['''
echo $$ >"$PERSON/at"
(sleep 60; echo late >>"$PERSON/late") &
sleep 60''']
environment = { PERSON = "{home}" }
"""


class Silent(http.server.BaseHTTPRequestHandler):
    """Tells a runtime, and says nothing more once its file is asked for."""

    def do_GET(self) -> None:
        file = Path(self.server.folder, self.path.lstrip("/"))  # type: ignore[attr-defined]
        content = file.read_bytes() if file.is_file() else b""
        self.send_response(200 if content else 404)
        self.send_header("Content-Length", str(len(content)))
        self.end_headers()
        if file.suffix in (".zst", ".gz"):
            self.wfile.write(content[:10])
            self.wfile.flush()
            (Path(self.server.home) / "at").write_text("asked")  # type: ignore[attr-defined]
            self.server.over.wait(60)  # type: ignore[attr-defined]
        else:
            self.wfile.write(content)

    def log_message(self, *given: object) -> None:
        pass


@pytest.fixture
def silent(desk: Desk, tmp_path: Path) -> Iterator[str]:
    folder = tmp_path / "silent"
    folder.mkdir()
    content = pack("kelp-4.2.1", {"bin/kelp": (b"#!/bin/sh\n", 0o755)}, "tar.zst")
    write_runtime(folder, "kelp", [("4.2.1", "2026-06-30", ("lts",), "any", "kelp.tar.zst", content)])
    server = http.server.ThreadingHTTPServer(("127.0.0.1", 0), Silent)
    server.folder, server.home, server.over = folder, desk.home, threading.Event()  # type: ignore[attr-defined]
    server.daemon_threads = True
    threading.Thread(target=server.serve_forever, args=(0.01,), daemon=True).start()
    yield f"http://127.0.0.1:{server.server_address[1]}/"
    server.over.set()  # type: ignore[attr-defined]
    server.shutdown()
    server.server_close()


def begin(desk: Desk, *words: str) -> subprocess.Popen[str]:
    """Start the program, and wait until it is in the middle of it."""
    running = subprocess.Popen(
        [str(PROGRAM), *words], cwd=desk.home, env={"HOME": str(desk.home), "PATH": login_path(),
        "LANG": "C.UTF-8"},
        stdin=subprocess.DEVNULL, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True,
        # A shell that runs the tests in the background lets them be ignored.
        preexec_fn=lambda: [signal.signal(n, signal.SIG_DFL) for n in (signal.SIGINT, signal.SIGHUP)],
    )  # fmt: skip
    at = desk.home / "at"
    assert until(lambda: (at.exists() and at.read_text() != "") or running.poll() is not None)
    assert running.poll() is None, running.communicate()
    return running


def ends(running: subprocess.Popen[str], how: signal.Signals, thread: int | None = None) -> str:
    """Send the signal, to a thread where one is named. Returns what was said; the end is in time, and tells
    the signal.
    """
    began = time.monotonic()
    os.kill(thread or running.pid, how)
    _, said = running.communicate(timeout=60)
    took = time.monotonic() - began
    assert running.returncode == 128 + how
    assert "interrupted: what was under way is undone" in said
    assert took < SECONDS, f"{took:.1f} s"
    return said


HOW = (signal.SIGTERM, signal.SIGHUP, signal.SIGINT)


@pytest.mark.parametrize("how", HOW)
def test_while_a_server_says_nothing(desk: Desk, silent: str, how: signal.Signals) -> None:
    desk.wants(url=silent)
    before = likeness(desk.home, OURS)
    ends(begin(desk, "provision"), how)
    (desk.home / "at").unlink()
    assert likeness(desk.home, OURS) == before
    assert desk.run("undo").code == 1, "nothing stands"


@pytest.mark.parametrize("how", HOW)
def test_while_a_version_is_built(desk: Desk, how: signal.Signals) -> None:
    (desk.home / "feed").mkdir()
    (desk.home / "feed/kelp-1.0.tar.gz").write_bytes(
        pack("kelp-1.0", {"README": (b"kelp\n", 0o644)}, "tar.gz")
    )
    desk.write(BUILD.replace("{home}", str(desk.home)))
    before = likeness(desk.home, OURS)
    running = begin(desk, "provision")
    builder = int((desk.home / "at").read_text())
    ends(running, how)
    gone(builder)
    (desk.home / "at").unlink()
    assert likeness(desk.home, OURS) == before


@pytest.mark.parametrize("how", HOW)
def test_while_a_shell_does_not_start(desk: Desk, how: signal.Signals) -> None:
    desk.write("[ -e ~/.zshenv ] && { echo asked >~/at; sleep 60; }\n", ".bashrc")
    desk.wants()
    ends(begin(desk, "provision"), how)
    left = [path.name for path in (desk.home / ".local/state/zesty-anchor").glob("shells-at-work-*")]
    assert left == []
    desk.write("", ".bashrc")
    desk.well("undo")


def last_thread(running: subprocess.Popen[str]) -> int:
    """The thread that was begun last: one that works, not the one in which Python handles signals."""
    return max(int(thread.name) for thread in Path(f"/proc/{running.pid}/task").iterdir())


@pytest.mark.parametrize("where", ["a server", "a build", "a shell"])
def test_a_signal_that_another_thread_gets(desk: Desk, silent: str, where: str) -> None:
    """Python runs its handlers in the main thread alone, which may be waiting and is not woken (Python,
    signal: "Signals and threads").
    """
    if where == "a build":
        (desk.home / "feed").mkdir()
        (desk.home / "feed/kelp-1.0.tar.gz").write_bytes(
            pack("kelp-1.0", {"README": (b"kelp\n", 0o644)}, "tar.gz")
        )
        desk.write(BUILD.replace("{home}", str(desk.home)))
    elif where == "a shell":
        desk.write("[ -e ~/.zshenv ] && { echo asked >~/at; sleep 60; }\n", ".bashrc")
        desk.wants()
    else:
        desk.wants(url=silent)
    running = begin(desk, "provision")
    thread = last_thread(running)
    assert thread != running.pid
    ends(running, signal.SIGTERM, thread)


CLEARED_AWAY = """
import os, signal, time
from zesty_anchor.system.signals import end_on_signals
came = end_on_signals()
class Kept:
    def __del__(self):
        os.kill(os.getpid(), signal.SIGTERM)
        for _ in range(100_000):
            pass
kept = Kept()
try:
    del kept
    time.sleep(20)
    print("never")
except KeyboardInterrupt:
    print("ended", *came)
"""


def test_a_signal_that_comes_as_an_object_is_cleared_away() -> None:
    """What is raised then goes no further (Python's manual, object.__del__)."""
    done = subprocess.run(
        [sys.executable, "-c", CLEARED_AWAY], capture_output=True, text=True, timeout=60, check=False
    )
    assert (done.stdout, done.stderr) == (f"ended {int(signal.SIGTERM)}\n", "")


def test_a_terminal_that_is_closed(desk: Desk, silent: str) -> None:
    import pexpect

    desk.wants(url=silent)
    before = likeness(desk.home, OURS)
    child = pexpect.spawn(
        str(PROGRAM), ["provision"], cwd=str(desk.home), timeout=30,
        env={"HOME": str(desk.home), "PATH": login_path(), "LANG": "C.UTF-8", "TERM": "xterm"},
        # Tests that were started by nohup would have it ignored.
        preexec_fn=lambda: signal.signal(signal.SIGHUP, signal.SIG_DFL),
    )  # fmt: skip
    assert until(lambda: (desk.home / "at").exists())
    process = child.pid
    os.close(child.child_fd)
    child.closed = True
    assert until(lambda: os.waitpid(process, os.WNOHANG)[0] != 0, SECONDS), "it goes on without its terminal"
    (desk.home / "at").unlink()
    assert likeness(desk.home, OURS) == before


def test_killed_while_it_builds_the_build_ends_too(desk: Desk) -> None:
    (desk.home / "feed").mkdir()
    (desk.home / "feed/kelp-1.0.tar.gz").write_bytes(
        pack("kelp-1.0", {"README": (b"kelp\n", 0o644)}, "tar.gz")
    )
    desk.write(BUILD.replace("{home}", str(desk.home)))
    running = begin(desk, "provision")
    builder = int((desk.home / "at").read_text())
    running.kill()
    running.communicate()
    gone(builder)


def gone(group: int) -> None:
    """A group of processes that was killed is soon seen no more."""

    def is_gone() -> bool:
        try:
            os.killpg(group, 0)
        except ProcessLookupError:
            return True
        return False

    assert until(is_gone, SECONDS), "the build goes on"


AT_A_QUESTION = """
import io, os, signal, sys
from zesty_anchor.commands import termui
from zesty_anchor.system.signals import end_on_signals
came = end_on_signals()
class Terminal(io.StringIO):
    def flush(self):
        os.kill(os.getpid(), signal.SIGINT)
sys.stdout, told = Terminal(), sys.stdout
try:
    termui.visible_prompt_func("yes? ")
    print("never", file=told)
except KeyboardInterrupt:
    print("ended", *came, file=told)
"""


def test_a_signal_that_comes_as_a_question_is_shown() -> None:
    """Python's own ``input`` drops what is raised then, and goes on waiting."""
    done = subprocess.run(
        [sys.executable, "-c", AT_A_QUESTION],
        input="yes\n",
        capture_output=True,
        text=True,
        timeout=60,
        check=False,
    )
    assert (done.stdout, done.stderr) == (f"ended {int(signal.SIGINT)}\n", "")
