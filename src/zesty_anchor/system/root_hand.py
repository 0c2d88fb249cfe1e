"""A process that keeps the superuser's rights while the program itself gives them up.

sudo ties a typed password to its terminal, and runs a command on a terminal of its own (sudoers(5), use_pty):
a program that was started through sudo and becomes its caller could not ask sudo again without a second
password.
"""

from __future__ import annotations

import json
import os
import signal
import socket
import subprocess
from collections.abc import Callable

from zesty_anchor.system.trusted import trusted_environment


class RootHand:
    """Runs commands as the superuser, one at a time. It ends when this process does."""

    def __init__(self) -> None:
        ours, its = socket.socketpair()
        if os.fork() == 0:
            ours.close()
            signal.signal(signal.SIGINT, signal.SIG_IGN)
            try:
                _serve(its)
            finally:
                os._exit(0)
        its.close()
        self._words = ours.makefile("w", encoding="utf-8")
        self._answers = ours.makefile("r", encoding="utf-8")

    def run(self, command: tuple[str, ...], hear: Callable[[str], None]) -> int:
        """Run a command; each line that it prints goes to ``hear``. Returns its exit status."""
        self._words.write(json.dumps(command) + "\n")
        self._words.flush()
        for line in self._answers:
            answer = json.loads(line)
            if isinstance(answer, int):
                return answer
            hear(answer)
        return 1


def _serve(channel: socket.socket) -> None:
    words, answers = channel.makefile("r", encoding="utf-8"), channel.makefile("w", encoding="utf-8")
    for line in words:
        status = run_here(
            tuple(json.loads(line)), lambda text: print(json.dumps(text), file=answers, flush=True)
        )
        print(json.dumps(status), file=answers, flush=True)


def run_here(words: tuple[str, ...], hear: Callable[[str], None]) -> int:
    """Run a command with the rights of this process, in an environment that nobody else chose; each line that
    it prints, to either stream, goes to ``hear``.
    """
    try:
        running = subprocess.Popen(
            words,
            stdin=subprocess.DEVNULL,
            stdout=subprocess.PIPE,
            stderr=subprocess.STDOUT,
            text=True,
            errors="replace",
            env=trusted_environment(os.environ),
        )
    except OSError as error:
        hear(f"{words[0]}: {error.strerror}")
        return 127
    with running:
        assert running.stdout is not None
        for line in running.stdout:
            hear(line.rstrip("\n"))
    return running.returncode
