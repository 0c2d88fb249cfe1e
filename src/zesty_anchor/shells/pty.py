"""Opening a program under a terminal of its own: the only place that does."""

from __future__ import annotations

import os
import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Any

from zesty_anchor.system.at_login import resetting

if TYPE_CHECKING:
    import pexpect

_ENDING_SECONDS = 0.2
"""How long a program may take to end, once it has closed its terminal or was told to hang up."""
_KILLED_SECONDS = 5.0
_CHUNK = 1 << 16
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
    first: Callable[[], None] | None = None,
) -> Iterator[pexpect.spawn[Any]]:
    """Start a program under a pty (pty(7)) with nothing but this environment, in this folder, as a login would: with its umask,
    its limits, and no signal ignored. ``first`` is what the new process does before it becomes the program.

    Each wait for what it prints may take ``seconds``. It is ended, with all that it left on its terminal, when the block is
    left. Raises ``FileNotFoundError`` where there is no such program.
    """
    import pexpect

    try:
        child: pexpect.spawn[Any] = pexpect.spawn(
            words[0], list(words[1:]), env=dict(environment), cwd=str(folder), timeout=seconds, echo=False,
            dimensions=(24, columns), use_poll=True, encoding=encoding, preexec_fn=_before(first),
        )  # fmt: skip
    except pexpect.ExceptionPexpect as error:
        raise FileNotFoundError(str(error)) from None
    # Each of these would sleep for a tenth of a second, whether there is something to wait for or not.
    terminal: Any = child
    terminal.delaybeforesend = None
    for each in (terminal, terminal.ptyproc):
        each.delayafterclose = each.delayafterterminate = 0.0
    try:
        yield child
    finally:
        _end(child)


def _before(first: Callable[[], None] | None) -> Callable[[], None]:
    reset = resetting()

    def before() -> None:
        reset()
        if first is not None:
            first()

    return before


def wait_for(child: pexpect.spawn[Any], text: bytes | None, seconds: float, interrupted: Callable[[], bool]) -> bool:
    """Wait until a program has printed ``text`` (None: until it ends). Returns whether it did, within the time given, and
    before the run was interrupted.
    """
    import pexpect

    until = time.monotonic() + seconds
    while not interrupted():
        left = until - time.monotonic()
        wanted: list[Any] = [pexpect.EOF, pexpect.TIMEOUT] if text is None else [text, pexpect.EOF, pexpect.TIMEOUT]
        found = child.expect_exact(wanted, timeout=min(max(left, 0.0), _LOOK_SECONDS))
        if wanted[found] is pexpect.EOF and text is not None:
            return text in (child.before or b"") + _unread(child)
        if wanted[found] is not pexpect.TIMEOUT:
            return True
        if left <= 0:
            return False
    return False


def _unread(child: pexpect.spawn[Any]) -> bytes:
    """What a program printed just before it ended: pexpect tells the end first where both came between two looks of its."""
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


def _end(child: pexpect.spawn[Any]) -> None:
    """Close it. One that has ended, or is about to, is only waited for; any other is told to hang up, then killed."""
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
    child.close(force=True)
