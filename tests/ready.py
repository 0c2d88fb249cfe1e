"""The built program, kept ready: the interpreter is started and the modules are fetched once, and each run is
a fork of that.

What a run does is the installed program's own from its first line (``exit_code`` and the end of ``run``) to
the last. What a fork cannot show, the start itself, is shown by the tests that start it (terminals,
launchers, hooks, signals, the demo, tests/commands/test_start.py), and by all of them with
``ZESTY_ANCHOR_TESTS=started``.
"""

from __future__ import annotations

import ast
import contextlib
import gc
import importlib
import json
import os
import pkgutil
import selectors
import signal
import socket
import subprocess
import sys
import tempfile
import time
from collections.abc import Mapping
from pathlib import Path
from typing import IO

_LONGEST = 1 << 20
"""As many bytes a request may have (its words and its environment)."""
_NOT_FETCHED = ("matplotlib", "numpy")
"""What only one command needs, and is large."""


class Ready:
    """The program, ready to run. It ends with this process."""

    def __init__(self, program: Path) -> None:
        self._program = program
        self._folder = tempfile.TemporaryDirectory(prefix="zesty-anchor-ready-")
        self._address = f"{self._folder.name}/socket"
        # -P: nothing is fetched from the folder of the tests.
        self._server = subprocess.Popen(
            [sys.executable, "-P", __file__, self._address, str(program)], stdin=subprocess.PIPE,
            env={"HOME": self._folder.name, "LANG": "C.UTF-8", "PATH": os.environ["PATH"]},
            preexec_fn=lambda: signal.signal(signal.SIGINT, signal.SIG_DFL),
        )  # fmt: skip

    def run(
        self, words: list[str], environment: Mapping[str, str], folder: Path, seconds: float
    ) -> subprocess.CompletedProcess[str]:
        """Run it with these words, without input. Raises ``TimeoutExpired``."""
        with tempfile.TemporaryFile() as out, tempfile.TemporaryFile() as err, self._connected() as channel:
            umask = os.umask(0)
            os.umask(umask)
            request = {
                "words": words,
                "environment": dict(environment),
                "folder": str(folder),
                "umask": umask,
            }
            message = json.dumps(request).encode("utf-8", "surrogateescape")
            socket.send_fds(channel, [message], [out.fileno(), err.fileno()])
            process = int(channel.recv(64))
            channel.settimeout(seconds)
            try:
                code = int(channel.recv(64))
            except TimeoutError:
                os.kill(process, signal.SIGKILL)
                raise subprocess.TimeoutExpired(words, seconds) from None
            return subprocess.CompletedProcess([str(self._program), *words], code, _text(out), _text(err))

    def _connected(self) -> socket.socket:
        channel = socket.socket(socket.AF_UNIX, socket.SOCK_SEQPACKET)
        channel.setsockopt(socket.SOL_SOCKET, socket.SO_SNDBUF, _LONGEST)
        while True:
            try:
                channel.connect(self._address)
            except (FileNotFoundError, ConnectionRefusedError):
                assert self._server.poll() is None, "it did not start"
                time.sleep(0.01)
            else:
                return channel

    def close(self) -> None:
        assert self._server.stdin is not None
        self._server.stdin.close()
        self._server.wait()
        self._folder.cleanup()


def _text(file: IO[bytes]) -> str:
    file.seek(0)
    return file.read().decode().replace("\r\n", "\n")


def _fetch_all() -> None:
    """Fetch every module of the program, and what functions of it would fetch."""
    import zesty_anchor

    for found in pkgutil.walk_packages(zesty_anchor.__path__, "zesty_anchor."):
        if found.name.endswith("__main__"):
            continue
        module = importlib.import_module(found.name)
        for node in ast.walk(ast.parse(Path(str(module.__file__)).read_bytes())):
            names = [each.name for each in node.names] if isinstance(node, ast.Import) else []
            names += [node.module or ""] if isinstance(node, ast.ImportFrom) and not node.level else []
            for name in names:
                if not name.startswith(_NOT_FETCHED):
                    with contextlib.suppress(ImportError):
                        importlib.import_module(name)


def _serve(address: str, program: str) -> None:
    _fetch_all()
    gc.collect()
    gc.freeze()
    with (
        socket.socket(socket.AF_UNIX, socket.SOCK_SEQPACKET) as waiting,
        selectors.DefaultSelector() as selector,
    ):
        waiting.bind(address)
        waiting.listen(64)
        selector.register(waiting, selectors.EVENT_READ)
        selector.register(0, selectors.EVENT_READ)
        running: dict[int, tuple[int, socket.socket]] = {}
        while True:
            for key, _ in selector.select():
                if key.fd == 0:
                    return
                if key.fd in running:
                    selector.unregister(key.fd)
                    process, channel = running.pop(key.fd)
                    code = os.waitstatus_to_exitcode(os.waitpid(process, 0)[1])
                    with contextlib.suppress(BrokenPipeError), channel:
                        channel.send(str(code).encode())
                    os.close(key.fd)
                else:
                    channel, _ = waiting.accept()
                    message, files, _, _ = socket.recv_fds(channel, _LONGEST, 2)
                    process = os.fork()
                    if process == 0:
                        _become(json.loads(message.decode("utf-8", "surrogateescape")), files, program)
                    for each in files:
                        os.close(each)
                    channel.send(str(process).encode())
                    opened = os.pidfd_open(process)
                    running[opened] = process, channel
                    selector.register(opened, selectors.EVENT_READ)


def _become(request: dict[str, object], files: list[int], program: str) -> None:
    """Be the program: with nothing of the server's, as if it had been started so. It never comes back."""
    os.dup2(os.open(os.devnull, os.O_RDONLY), 0)
    for number, file in enumerate(files, 1):
        os.dup2(file, number)
    os.closerange(3, os.sysconf("SC_OPEN_MAX"))
    environment = request["environment"]
    assert (
        isinstance(environment, dict)
        and isinstance(request["words"], list)
        and isinstance(request["umask"], int)
    )
    os.environ.clear()
    os.environ.update(environment)
    os.chdir(str(request["folder"]))
    os.umask(request["umask"])
    sys.argv = [program, *request["words"]]
    from zesty_anchor.commands import run

    run()


if __name__ == "__main__":
    _serve(*sys.argv[1:])
