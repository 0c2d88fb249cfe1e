"""Timing of whole processes, side by side."""

from __future__ import annotations

import shutil
import statistics
import subprocess
import sys
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path


@dataclass(frozen=True)
class Result:
    """One row: a figure in ``unit`` (empty for a ratio) that may be at most ``bar``."""

    name: str
    against: str
    figure: float
    bar: float
    unit: str = ""
    note: str = ""

    @property
    def kept(self) -> bool:
        return self.figure <= self.bar

    def line(self) -> str:
        mark = "kept" if self.kept else "MISSED"
        unit = f" {self.unit}" if self.unit else " ×"
        note = f" ({self.note})" if self.note else ""
        shown = f"{self.figure:.2f}{unit}{note}"
        return (
            f"| {self.name} | {self.against} | {shown} | {self.bar:g}{' ' + self.unit if self.unit else ' ×'}"
            f" | {mark} |"
        )


def seconds(
    command: Sequence[str], environment: dict[str, str], folder: str = "/", *, without: Path | None = None
) -> float:
    """How long a command takes; ``without`` is removed beforehand, outside of the time."""
    if without is not None:
        shutil.rmtree(without, ignore_errors=True)
    began = time.perf_counter()
    done = subprocess.run(
        command, env=environment, cwd=folder, stdin=subprocess.DEVNULL, capture_output=True, check=False
    )
    took = time.perf_counter() - began
    if done.returncode != 0:
        raise SystemExit(f"{command} ended with {done.returncode}: {done.stderr.decode()[-2000:]}")
    return took


def side_by_side(*works: Callable[[], float], rounds: int) -> list[float]:
    """The median of each work, the works taking turns so that a busy moment hits them alike."""
    taken: list[list[float]] = [[] for _ in works]
    for _ in range(rounds):
        for kept, work in zip(taken, works, strict=True):
            kept.append(work())
    return [statistics.median(kept) for kept in taken]


_WATCH = """
import resource, subprocess, sys
subprocess.run(sys.argv[1:], check=True)
used = resource.getrusage(resource.RUSAGE_CHILDREN)
print(used.ru_maxrss, used.ru_utime + used.ru_stime)
"""


def _used(command: Sequence[str], environment: dict[str, str], folder: str) -> list[str]:
    """What a process and its children used.

    A small process in between starts it: a child's peak begins with the size of the one that it was forked
    from.
    """
    done = subprocess.run(
        [sys.executable, "-c", _WATCH, *command],
        env=environment,
        cwd=folder,
        capture_output=True,
        text=True,
        check=True,
    )
    return done.stdout.split()[-2:]


def cpu_seconds(
    command: Sequence[str], environment: dict[str, str], folder: str = "/", *, without: Path | None = None
) -> float:
    """The processor's time that a command takes, in and out of the kernel (getrusage(2)), in seconds."""
    if without is not None:
        shutil.rmtree(without, ignore_errors=True)
    return float(_used(command, environment, folder)[1])


def peak_megabytes(command: Sequence[str], environment: dict[str, str]) -> float:
    """The peak resident memory of a process, in megabytes (getrusage(2): ru_maxrss is in KiB on Linux)."""
    return int(_used(command, environment, "/")[0]) * 1024 / 1e6
