"""Building a version from source: steps in a private folder, each line of output in a log of its own."""

from __future__ import annotations

import collections
import os
import subprocess
import threading
import time
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path

from zesty_anchor.problem import Problem

LAST_LINES = 20
_TELL_SECONDS = 0.5


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
) -> None:
    """Run each step with sh(1) in ``folder``; ``options`` are its positional parameters, ``"$@"``.

    ``told`` hears the last line of output and the time so far. ``missing`` names the prerequisite that an output
    line points to, or nothing. Raises ``BuildFailed`` with the last lines, the log, and what is probably missing.
    """
    began = time.monotonic()
    last: collections.deque[str] = collections.deque(maxlen=LAST_LINES)
    with log.open("a", encoding="utf-8", errors="replace") as written:
        for step in steps:
            written.write(f"+ {step}\n")
            status = _run(
                step, options, folder, environment, lambda line: _heard(line, written.write, last, told, began)
            )
            if status != 0:
                written.flush()
                raise _failure(step, status, list(last), log, missing)


def _heard(
    line: str, write: Callable[[str], object], last: collections.deque[str], told: Callable[[str], None], began: float
) -> None:
    write(line + "\n")
    last.append(line)
    told(f"{time.monotonic() - began:.0f} s: {line.strip()[:100]}")


def _run(
    step: str, options: Sequence[str], folder: Path, environment: Mapping[str, str], hear: Callable[[str], None]
) -> int:
    with subprocess.Popen(
        ["/bin/sh", "-e", "-c", step, "sh", *options],
        cwd=folder, env=dict(environment), stdin=subprocess.DEVNULL, stdout=subprocess.PIPE,
        stderr=subprocess.STDOUT, text=True, errors="replace", start_new_session=True,
    ) as running:  # fmt: skip
        assert running.stdout is not None
        try:
            for line in running.stdout:
                hear(line.rstrip("\n"))
        except BaseException:
            os.killpg(running.pid, 9)
            raise
    return running.returncode


def _failure(step: str, status: int, last: list[str], log: Path, missing: Callable[[str], str]) -> BuildFailed:
    need = next((found for line in reversed(last) if (found := missing(line))), "")
    lines = "".join(f"\n    {line}" for line in last)
    advice = f"probably missing: {need}; add it to [prerequisites] packages" if need else "its last lines say why"
    return BuildFailed(
        f"the build ended with {status}, at the step: {step.strip().splitlines()[0]}{lines}",
        where=f"the whole log: {log}",
        advice=f"{advice}, then run the same command again",
    )


class Pace:
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
    jobs: int,
    version: str,
    earlier: Path | None,
    path: str,
    more: Mapping[str, str],
) -> dict[str, str]:
    """What a step finds in its environment: nothing of ours but what is listed here.

    OUT is where the version's files go, PREFIX where they will stand, EARLIER the folder of the earlier version.
    """
    found = {
        "PATH": f"{earlier}/bin:{path}" if earlier else path,
        "HOME": str(room),
        "TMPDIR": str(room),
        "LANG": "C.UTF-8",
        "OUT": str(out),
        "PREFIX": str(prefix),
        "JOBS": str(jobs),
        "VERSION": version,
    }
    if earlier:
        found["EARLIER"] = str(earlier)
    return {**found, **more}
