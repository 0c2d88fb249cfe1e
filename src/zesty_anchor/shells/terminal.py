"""A program at work under a terminal of its own, to be read and written as pexpect does."""

from __future__ import annotations

import subprocess

from pexpect.fdpexpect import fdspawn


class Terminal(fdspawn):  # type: ignore[type-arg]
    """Our end of a program's terminal, with the program itself.

    ``pid`` is the program's process, which leads a session of its own (setsid(2)); ``exitstatus`` what it
    ended with, None as long as it works, and where a signal ended it.
    """

    def __init__(
        self, opened: int, running: subprocess.Popen[bytes], seconds: float, encoding: str | None
    ) -> None:
        """``opened`` is our end, which is closed with this. Each wait may take ``seconds``."""
        super().__init__(opened, timeout=seconds, encoding=encoding, use_poll=True)
        self._running = running
        self.pid = running.pid

    def isalive(self) -> bool:
        """Whether it is still at work."""
        code = self._running.poll()
        self.exitstatus = code if code is not None and code >= 0 else None
        return code is None

    def kill(self, number: int) -> None:
        """Send it a signal."""
        self._running.send_signal(number)
