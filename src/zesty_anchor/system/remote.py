"""Another machine, over the person's own OpenSSH client: nothing else listens there, and nothing stays."""

from __future__ import annotations

import os
import pwd
import shlex
import subprocess
import threading
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager, suppress
from pathlib import Path

import msgspec

from zesty_anchor.system.privilege import is_forbidden
from zesty_anchor.system.problem import Problem, UsageProblem
from zesty_anchor.system.ssh import MISSING, tool

_CODE = Path(__file__).parent / "remote_code"
_CUT = 255
"""ssh(1), EXIT STATUS: an error of ssh itself; else it is that of the command."""
_OPTIONS = (
    "BatchMode=yes",
    "ConnectTimeout=15",
    "ServerAliveInterval=5",
    "ServerAliveCountMax=3",
    "ControlMaster=auto",
    "ControlPersist=30",
)
"""ssh_config(5). Nobody is asked for a password meanwhile: many machines are spoken to at once."""
_MOST_OUTPUT, _MOST_ERRORS, _LONGEST_LINE = 64 << 20, 1 << 16, 1 << 16
"""In bytes: what comes from another machine has a bound."""


class Unreachable(Problem):
    """A machine that ssh cannot get to, or a connection that was cut."""


class RemoteResult(msgspec.Struct, frozen=True):
    """What a command printed on another machine, and its exit status."""

    code: int
    out: bytes
    err: str


class Remote:
    """One machine. ``host`` is what a person would write after ssh, ``control`` a folder for the sockets of
    shared connections, ``config`` a configuration file in place of the person's own.

    Raises ``UsageProblem`` for a name that ssh would take for an option.
    """

    def __init__(
        self, host: str, environ: Mapping[str, str], control: Path, config: Path | None = None
    ) -> None:
        if host.startswith("-") or not host or not host.isprintable() or any(c.isspace() for c in host):
            raise UsageProblem(
                f"{host!r} is not the name of a host", advice="write it as after ssh: user@host"
            )
        self.host = host
        self._environ = dict(environ)
        self._words = [tool("ssh", environ), "-T"]
        config = config or _of_this_home(environ)
        self._words += ["-F", str(config)] if config is not None else []
        for option in (*_OPTIONS, f"ControlPath={control}/%C"):
            self._words += ["-o", option]

    def run(self, name: str, /, **values: str) -> RemoteResult:
        """Run one of our scripts there, with these variables. Raises ``Unreachable``."""
        # The words of the command are the same in every login shell; all else comes through stdin.
        return self._run("exec sh -s", self._script(name, values))

    def plain(self, words: str) -> RemoteResult:
        """Run a command line of sh(1) there. Raises ``Unreachable``."""
        return self._run("exec sh -s", f"{words} </dev/null\n".encode())

    def sudo_refusal(self, password: str) -> str:
        """What sudo there says to this password if it does not accept it, else empty. The password goes
        through the connection to sudo alone (sudo(8), -S), and is written down nowhere. Raises
        ``Unreachable``, and ``Problem`` where no password would help.
        """
        answer = self._run("exec sudo -S -k -p '' true", f"{password}\n".encode())
        never = [line.strip() for line in answer.err.splitlines() if is_forbidden(line)]
        said = next(iter(never), last_line(answer.err)) or "sudo failed"
        if answer.code in (126, 127) or never:
            raise Problem(f"sudo cannot be used there: {said}", where=self.host)
        return said if answer.code else ""

    def hand_over(self, text: str, pipe: str) -> None:
        """Write a text to a named pipe there, whose reader waits. Raises ``Unreachable``, and ``Problem``."""
        self._check_name(pipe)
        body = f'[ ! -p "{pipe}" ] || exec cat >"{pipe}"'
        answer = self._run(f"exec sh -c '{body}'", text.encode())
        if answer.code:
            raise Problem(f"it cannot be handed over: {last_line(answer.err)}", where=f"{self.host}:{pipe}")

    def put(self, archive: bytes, folder: str) -> None:
        """Unpack a tar archive, gzipped or not, in a folder there, by its path from ``/``, which is made.
        Raises ``Unreachable``, and ``Problem`` where it cannot be written.
        """
        self._check_name(folder)
        form = "z" if archive[:2] == b"\x1f\x8b" else ""
        body = f'mkdir -p "{folder}" && cd "{folder}" && exec tar -x{form}f -'
        answer = self._run(f"exec sh -c '{body}'", archive)
        if answer.code:
            raise Problem(
                f"it cannot be written: {last_line(answer.err)}",
                where=f"{self.host}:{folder}",
                advice="check the space and the permissions there",
            )

    def _check_name(self, path: str) -> None:
        """Raises ``Problem`` where a path does not mean the same in all login shells, in single quotes."""
        if not path.startswith("/") or any(sign in path for sign in "'!\\\n\"$`"):
            raise Problem(f"{path!r} on {self.host} has a name that cannot be written to")

    def follow(self, name: str, heard: Callable[[str], None], /, **values: str) -> bytes:
        """Run a script of ours, and hand on each line until one is ``out``. Returns what comes after that.
        Raises ``Unreachable`` where the connection is cut.
        """
        with self._spoken_to("exec sh -s", self._script(name, values)) as talk:
            while (line := talk.out.readline(_LONGEST_LINE)) and line != b"out\n":
                heard(line.decode("utf-8", "replace").rstrip("\n"))
            return talk.all(self.host)

    def close(self) -> None:
        """End the shared connection."""
        words = [*self._words, "-O", "exit", "--", self.host]
        with suppress(OSError, subprocess.TimeoutExpired):
            subprocess.run(
                words,
                env=self._environ,
                stdin=subprocess.DEVNULL,
                capture_output=True,
                timeout=10,
                check=False,
            )

    @staticmethod
    def _script(name: str, values: Mapping[str, str]) -> bytes:
        given = "".join(f"{key}={shlex.quote(value)}\n" for key, value in values.items())
        return (given + (_CODE / f"{name}.sh").read_text()).encode()

    @contextmanager
    def _spoken_to(self, command: str, sent: bytes) -> Iterator[_Talk]:
        """Start a command there and send it something. Raises ``Unreachable`` where ssh fails."""
        try:
            process = subprocess.Popen(
                [*self._words, "--", self.host, command],
                env=self._environ, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.PIPE,
                start_new_session=True,
            )  # fmt: skip
        except FileNotFoundError:
            raise MISSING from None
        talk = _Talk(process, sent)
        try:
            yield talk
            talk.code = process.wait()
        finally:
            process.kill()
            process.wait()
            talk.end()
        if talk.code == _CUT:
            raise self._unreachable(talk.told)

    def _run(self, command: str, sent: bytes) -> RemoteResult:
        with self._spoken_to(command, sent) as talk:
            out = talk.all(self.host)
        return RemoteResult(talk.code, out, talk.told)

    def _unreachable(self, told: str) -> Unreachable:
        return Unreachable(
            last_line(told) or "the connection was cut", where=self.host, advice=f"try: ssh {self.host}"
        )


class _Talk:
    """A command there: what it prints is read by the caller, all else meanwhile."""

    def __init__(self, process: subprocess.Popen[bytes], sent: bytes) -> None:
        assert process.stdin and process.stdout and process.stderr
        self.out, self.code = process.stdout, -1
        self._into, self._err, self._sent = process.stdin, process.stderr, sent
        self._heard = b""
        self._threads = [threading.Thread(target=work, daemon=True) for work in (self._send, self._listen)]
        for each in self._threads:
            each.start()

    def all(self, host: str) -> bytes:
        """All that is printed. Raises ``Problem`` where that is absurdly much."""
        found = self.out.read(_MOST_OUTPUT + 1)
        if len(found) > _MOST_OUTPUT:
            raise Problem(f"more than {_MOST_OUTPUT >> 20} MiB came from {host}")
        return found

    def end(self) -> None:
        """Wait for what was printed as an error."""
        for each in self._threads:
            each.join(2)

    @property
    def told(self) -> str:
        """What was printed as an error."""
        return self._heard.decode("utf-8", "replace")

    def _send(self) -> None:
        with suppress(OSError, ValueError):  # it ended before it had read all
            self._into.write(self._sent)
            self._into.close()

    def _listen(self) -> None:
        with suppress(OSError, ValueError):
            while chunk := os.read(self._err.fileno(), 1 << 16):
                self._heard = (self._heard + chunk)[-_MOST_ERRORS:]


def _of_this_home(environ: Mapping[str, str]) -> Path | None:
    """The configuration in a home that is not the one of passwd(5), where ssh looks for it; None for that."""
    home = environ.get("HOME", "")
    file = Path(home, ".ssh/config")
    return file if home and os.path.realpath(home) != _login_home() and file.is_file() else None


def _login_home() -> str:
    try:
        return os.path.realpath(pwd.getpwuid(os.getuid()).pw_dir)
    except KeyError:
        return ""


def last_line(text: str) -> str:
    """The last line that says something. Pure."""
    return next((line.strip() for line in reversed(text.splitlines()) if line.strip()), "")


def names_in(text: str) -> Iterator[str]:
    """The names of hosts in a list: one a line, # begins a comment. Pure."""
    for line in text.splitlines():
        name = line.partition("#")[0].strip()
        if name:
            yield name
