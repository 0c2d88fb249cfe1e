"""Building a version from source: steps in a private folder, each line of output in a log of its own."""

from __future__ import annotations

import collections
import os
import re
import select
import signal
import subprocess
import threading
import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import AbstractContextManager, contextmanager, nullcontext, suppress
from pathlib import Path

import msgspec

from zesty_anchor.shelf.jobserver import Jobserver, cores
from zesty_anchor.system.problem import Problem
from zesty_anchor.system.visible import visible

LAST_LINES = 20
_TELL_SECONDS = 0.5
_LOOK_SECONDS = 0.2
"""How often it is looked whether the run was interrupted."""
_CHUNK = 1 << 16
_NICE = 10


class Pace(msgspec.Struct, frozen=True):
    """How long a build took, and how many lines it printed: what the next one of its kind is told to take."""

    seconds: float
    lines: int


class BuildFailed(Problem):
    """A step of a build ended with an error."""


def build(
    steps: Sequence[str],
    options: Sequence[str],
    folder: Path,
    environment: Mapping[str, str],
    log: Path,
    told: Callable[[str], None],
    missing: Callable[[str], str],
    *,
    what: str = "the build",
    patience: float | None = None,
    interrupted: Callable[[], bool] = lambda: False,
    last_time: Pace | None = None,
    within: Sequence[str] = (),
    jobserver: Jobserver | None = None,
) -> Pace:
    """Run each step with sh(1) in ``folder``; ``options`` are its positional parameters, ``"$@"``. ``within``
    are words in front of it. With a ``jobserver`` each step is one of its jobs, and make takes further ones
    from it.

    ``told`` hears how far it is: the step, how much of it, by what the build tells itself or by the lines of
    the ``last_time``, and the time so far. Returns how long it took. ``missing`` names the prerequisite that
    an output line points to, or nothing; ``what`` is the word for all of it. Nobody can be asked: the steps
    have no terminal and an empty input. One that says nothing for ``patience`` seconds is ended, and so is
    one during which the run is ``interrupted``: with all that it started. Raises ``BuildFailed`` with the
    last lines, the log, and what is probably missing.
    """
    progress = _Progress(len(steps), last_time)
    last: collections.deque[str] = collections.deque(maxlen=LAST_LINES)
    with log.open("a", encoding="utf-8", errors="replace") as written:
        for step in steps:
            written.write(f"+ {step}\n")
            progress.begin(step)
            with _a_job(jobserver, interrupted, lambda: told(progress.waits())):
                status = _run(
                    step,
                    options,
                    folder,
                    environment,
                    lambda line: _heard(line, written.write, last, told, progress),
                    patience,
                    interrupted,
                    within,
                    jobserver.pipe if jobserver else (),
                )
            if status != 0:
                written.flush()
                raise _failure(
                    f"{what} ended with {status}, at the step: {_first(step)}", list(last), log, missing
                )
    return progress.pace


def _a_job(
    jobserver: Jobserver | None, interrupted: Callable[[], bool], waiting: Callable[[], None]
) -> AbstractContextManager[None]:
    return jobserver.job(interrupted, waiting) if jobserver else nullcontext()


def _heard(
    line: str,
    write: Callable[[str], object],
    last: collections.deque[str],
    told: Callable[[str], None],
    progress: _Progress,
) -> None:
    line = visible(line)
    write(line + "\n")
    last.append(line)
    told(progress.heard(line))


_PERCENT = re.compile(r"^\s*\[\s*(\d{1,3})%\]")
"""How some tools that write makefiles begin a line."""
_COUNT = re.compile(r"^\s*\[(\d+)/(\d+)\]")


class _Progress:
    """How far a build is: its step, and the part of it, or of the lines that it printed the last time."""

    def __init__(self, steps: int, last_time: Pace | None) -> None:
        self._steps = steps
        self._last = last_time
        self._began = time.monotonic()
        self._lines = 0
        self._number = 0
        self._name = ""

    @property
    def pace(self) -> Pace:
        """How long it took so far, and the lines that came."""
        return Pace(time.monotonic() - self._began, self._lines)

    def begin(self, step: str) -> None:
        """Another step."""
        self._number += 1
        self._name = _first(step)[:40]

    def waits(self) -> str:
        """What to tell as long as other builds have all cores."""
        step = f"step {self._number} of {self._steps}, " if self._steps > 1 else ""
        return f"{step}{_told(time.monotonic() - self._began)}: waiting for other builds"

    def heard(self, line: str) -> str:
        """What to tell after a line."""
        self._lines += 1
        passed = time.monotonic() - self._began
        step = f"step {self._number} of {self._steps}, " if self._steps > 1 else ""
        found, count = _PERCENT.match(line), _COUNT.match(line)
        part = f"{found[1]} % of it, " if found else f"{count[1]} of {count[2]} of it, " if count else ""
        if self._last is not None and self._last.lines:
            part = part or f"{min(99, 100 * self._lines // self._last.lines)} %, "
            return f"{step}{part}{_told(passed)} of about {_told(self._last.seconds)}: {line.strip()[:80]}"
        return f"{step}{part}{_told(passed)}: {line.strip()[:80]}"


def _told(seconds: float) -> str:
    minutes, rest = divmod(round(seconds), 60)
    return f"{minutes} min {rest:02} s" if minutes else f"{rest} s"


_WHEN_TOLD = 'read -r told || exit 1; exec /bin/sh -e -c "$@" </dev/null'
"""A step begins when its end is seen to: were we killed before that, it would go on. Then it reads an end
instead, and never begins.
"""


def _run(
    step: str,
    options: Sequence[str],
    folder: Path,
    environment: Mapping[str, str],
    hear: Callable[[str], None],
    patience: float | None,
    interrupted: Callable[[], bool],
    within: Sequence[str],
    inherited: Sequence[int],
) -> int:
    with subprocess.Popen(
        [*within, "/bin/sh", "-c", _WHEN_TOLD, "sh", step, "sh", *options],
        cwd=folder, env=dict(environment), stdin=subprocess.PIPE, stdout=subprocess.PIPE,
        stderr=subprocess.STDOUT, start_new_session=True, pass_fds=tuple(inherited),
    ) as running:  # fmt: skip
        assert running.stdin is not None and running.stdout is not None
        try:
            with suppress(
                OSError
            ):  # the person's own programs come first, and at the disk too (ioprio_set(2))
                os.setpriority(os.PRIO_PROCESS, running.pid, _NICE)
            with _ends_with_us(running.pid):
                with suppress(BrokenPipeError), running.stdin as told:
                    told.write(b"begin\n")
                for line in _lines(running.stdout.fileno(), interrupted, patience):
                    hear(line)
        except _Silent:
            os.killpg(running.pid, signal.SIGKILL)
            hear(f"(zesty-anchor: it said nothing for {patience:.0f} s, and was ended)")
        except BaseException:
            os.killpg(running.pid, signal.SIGKILL)
            raise
    return running.returncode


@contextmanager
def _ends_with_us(group: int) -> Iterator[None]:
    """Have a group of processes killed when we are: it would go on working, and nobody would know what it
    did.

    A small shell waits at the end of a pipe that nobody but us holds; when we are gone, it reads its end.
    """
    with subprocess.Popen(
        ["/bin/sh", "-c", f"read -r well; [ -n \"$well\" ] || kill -KILL -{group}"],
        stdin=subprocess.PIPE, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, start_new_session=True,
    ) as watcher:  # fmt: skip
        try:
            yield
        finally:
            assert watcher.stdin is not None
            with suppress(BrokenPipeError):
                watcher.stdin.write(b"well\n")
                watcher.stdin.close()


class _Silent(Exception):
    """Nothing was said for too long."""


def _lines(pipe: int, interrupted: Callable[[], bool], patience: float | None) -> Iterator[str]:
    """The lines that arrive, one that has no end in pieces. Raises ``KeyboardInterrupt`` where the run was
    interrupted, ``_Silent`` where nothing arrives for ``patience`` seconds.
    """
    rest, heard = b"", time.monotonic()
    while True:
        if not select.select([pipe], [], [], _LOOK_SECONDS)[0]:
            if interrupted():
                raise KeyboardInterrupt
            if patience is not None and time.monotonic() - heard > patience:
                raise _Silent
            continue
        if interrupted():
            raise KeyboardInterrupt
        heard, chunk = time.monotonic(), os.read(pipe, _CHUNK)
        *whole, rest = (rest + chunk).split(b"\n")
        if len(rest) > _CHUNK or (rest and not chunk):
            whole, rest = [*whole, rest], b""
        yield from (line.decode("utf-8", "replace").removesuffix("\r") for line in whole)
        if not chunk:
            return


_ASKS = re.compile(r"(\?|:|\]|\)|>)\s*$")
_NOT_FOUND = re.compile(r"(?:^|[\s:])([A-Za-z0-9_.+-]+): (?:command )?not found$")


def _first(step: str) -> str:
    return step.strip().splitlines()[0]


def _failure(what: str, last: list[str], log: Path, missing: Callable[[str], str]) -> BuildFailed:
    need = next((named for line in reversed(last) if (named := missing(line))), "")
    tool = next((found[1] for line in reversed(last) if (found := _NOT_FOUND.search(line.strip()))), "")
    lines = "".join(f"\n    {line}" for line in last)
    if need or tool:
        advice = (
            f"probably missing: {need or tool}; add {'it' if need else 'its package'} to [prerequisites]"
            " packages"
        )
    elif last and _ASKS.search(last[-1]):
        advice = (
            "its last line looks like a question, and nobody is asked while it works: give it the answer"
            " beforehand"
        )
    else:
        advice = "its last lines say why"
    return BuildFailed(
        f"{what}{lines}",
        where=f"the whole log: {log}",
        advice=f"{advice}, then run the same command again",
    )


class Unhurried:
    """Passes words on, but not faster than a person reads."""

    def __init__(self, tell: Callable[[str], None]) -> None:
        self._tell = tell
        self._last = 0.0
        self._lock = threading.Lock()

    def __call__(self, text: str) -> None:
        """Say it, or let it go by."""
        with self._lock:
            now = time.monotonic()
            if now - self._last >= _TELL_SECONDS:
                self._last = now
                self._tell(text)


def build_environment(
    *,
    out: Path,
    prefix: Path,
    room: Path,
    jobs: int | None,
    jobserver: Jobserver | None,
    version: str,
    earlier: Path | None,
    path: str,
    more: Mapping[str, str],
) -> dict[str, str]:
    """What a step finds in its environment: nothing of ours but what is listed here.

    ``jobs`` is how many the manifest allows it (None: it takes those of the ``jobserver``, where there is
    one). OUT is where the version's files go, PREFIX where they will stand, EARLIER the folder of the earlier
    version.
    """
    found = {
        "PATH": f"{earlier}/bin:{path}" if earlier else path,
        "HOME": str(room),
        "TMPDIR": str(room),
        "LANG": "C.UTF-8",
        "OUT": str(out),
        "PREFIX": str(prefix),
        "JOBS": str(jobs or cores()),
        "PARALLEL": "" if jobserver and not jobs else f"-j{jobs or cores()}",
        "VERSION": version,
    }
    if jobserver and not jobs:
        found["MAKEFLAGS"] = jobserver.flags
    if earlier:
        found["EARLIER"] = str(earlier)
    return {**found, **more}
