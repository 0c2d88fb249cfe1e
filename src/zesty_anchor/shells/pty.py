"""Opening a program under a terminal of its own: the only place that does."""

from __future__ import annotations

import os
import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Any

from zesty_anchor.system.at_login import at_login
from zesty_anchor.system.problem import Problem

if TYPE_CHECKING:
    import subprocess

    from zesty_anchor.shells.terminal import Terminal

_ENDING_SECONDS = 0.2
"""How long a program may take to end, once it has closed its terminal or was told to hang up."""
_KILLED_SECONDS = 5.0
_CHUNK = 1 << 16
_ROWS = 24
_LOOK_SECONDS = 0.2
"""How often it is looked whether the run was interrupted."""


@contextmanager
def under_pty(
    words: Sequence[str],
    environment: Mapping[str, str],
    folder: Path,
    *,
    seconds: float,
    columns: int = 80,
    encoding: str | None = None,
    channels: Mapping[int, Path] | None = None,
) -> Iterator[Terminal]:
    """Start a program under a pty (pty(7)) with nothing but this environment (and PWD, which every shell
    sets), in this folder, as a login would: with its umask, its limits, and no signal ignored. ``channels``
    lead elsewhere than to the terminal: 0 is read from that file, the others are written to theirs.

    Each wait for what it prints may take ``seconds``. It is ended, with all that it left on its terminal,
    when the block is left. Raises ``FileNotFoundError`` where there is no such program, ``Problem`` where no
    pty can be opened.
    """
    import shutil

    from zesty_anchor.shells.terminal import Terminal

    program = shutil.which(words[0], path=environment.get("PATH", os.defpath))
    if program is None:
        raise FileNotFoundError(f"there is no program {words[0]!r}")
    try:
        ours, its = os.openpty()
    except OSError as error:
        raise Problem(
            f"no terminal can be opened for a new shell: {error.strerror}",
            where="/dev/ptmx",
            advice="in a container or a chroot: mount -t devpts devpts /dev/pts",
        ) from None
    try:
        _as_wanted(its, columns)
        running = _started([program, *words[1:]], environment, folder, its, channels or {})
    except BaseException:
        os.close(ours)
        raise
    finally:
        os.close(its)
    child = Terminal(ours, running, seconds, encoding)
    try:
        yield child
    finally:
        _end(child)


def _as_wanted(terminal: int, columns: int) -> None:
    """A terminal of that width, which does not repeat what is sent to it (termios(3), tcgetwinsize(3))."""
    import termios

    mode = termios.tcgetattr(terminal)
    mode[3] &= ~termios.ECHO
    termios.tcsetattr(terminal, termios.TCSANOW, mode)
    termios.tcsetwinsize(terminal, (_ROWS, columns))


_TAKE_TERMINAL = ': <"$0"'
"""The first terminal that the leader of a session opens is its controlling one (tty_ioctl(4), POSIX.1-2017,
XBD 11.1.3).
"""


def _started(
    words: Sequence[str],
    environment: Mapping[str, str],
    folder: Path,
    terminal: int,
    channels: Mapping[int, Path],
) -> subprocess.Popen[bytes]:
    """Start it by way of a small shell, which takes the terminal and becomes the program. Of us nothing is
    copied for that (vfork(2)): a copy would take longer than many a shell to start.
    """
    import subprocess

    login = at_login()
    names = [os.fspath(file) for file in channels.values()]
    led = " ".join(
        f'{number}{"<" if number == 0 else ">"}"${place}"' for place, number in enumerate(channels, 1)
    )
    script = f'{_TAKE_TERMINAL}; exec {led}; shift {len(names)}; exec "$@"'
    return subprocess.Popen(
        ["/bin/sh", "-c", script, os.ttyname(terminal), *names, *words],
        env=dict(environment), cwd=folder, stdin=terminal, stdout=terminal, stderr=terminal,
        start_new_session=True, umask=login.umask, preexec_fn=login.reset,
    )  # fmt: skip


def wait_for(child: Terminal, text: bytes | None, seconds: float, interrupted: Callable[[], bool]) -> bool:
    """Wait until a program has printed ``text`` (None: until it ends). Returns whether it did, within the
    time given, and before the run was interrupted.
    """
    import pexpect

    until = time.monotonic() + seconds
    while not interrupted():
        left = until - time.monotonic()
        wanted: list[Any] = (
            [pexpect.EOF, pexpect.TIMEOUT] if text is None else [text, pexpect.EOF, pexpect.TIMEOUT]
        )
        found = child.expect_exact(wanted, timeout=min(max(left, 0.0), _LOOK_SECONDS))
        if wanted[found] is pexpect.EOF and text is not None:
            return text in (child.before or b"") + _unread(child)
        if wanted[found] is not pexpect.TIMEOUT:
            return True
        if left <= 0:
            return False
    return False


def _unread(child: Terminal) -> bytes:
    """What a program printed just before it ended: pexpect tells the end first where both came between two
    looks of its.
    """
    import select

    found = b""
    while select.select([child.child_fd], [], [], 0)[0]:
        try:
            more = os.read(child.child_fd, _CHUNK)
        except OSError:
            break
        if not more:
            break
        found += more
    return found


def _end(child: Terminal) -> None:
    """Close it. One that has ended, or is about to, is only waited for; any other is told to hang up, then
    killed.
    """
    import signal

    until = time.monotonic() + (_ENDING_SECONDS if child.flag_eof else 0.0)
    while child.isalive() and time.monotonic() < until:
        time.sleep(0.001)
    for number in (signal.SIGHUP, signal.SIGKILL):
        if not child.isalive():
            break
        child.kill(number)
        until = time.monotonic() + (_KILLED_SECONDS if number == signal.SIGKILL else _ENDING_SECONDS)
        while child.isalive() and time.monotonic() < until:
            time.sleep(0.001)
    child.close()
