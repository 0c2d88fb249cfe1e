"""Timing of whole processes, side by side."""

from __future__ import annotations

import os
import resource
import statistics
import subprocess
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass


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
        shown = (
            f"{self.figure:.2f}{' ' + self.unit if self.unit else ' ×'}{' (' + self.note + ')' if self.note else ''}"
        )
        return f"| {self.name} | {self.against} | {shown} | {self.bar:g}{' ' + self.unit if self.unit else ' ×'} | {mark} |"


def seconds(command: Sequence[str], environment: dict[str, str], folder: str = "/") -> float:
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


def peak_megabytes(command: Sequence[str], environment: dict[str, str]) -> float:
    """The peak resident memory of one process, in megabytes (getrusage(2): ru_maxrss is in KiB on Linux)."""
    pid = os.posix_spawn(command[0], list(command), environment)
    _, status, usage = os.wait4(pid, 0)
    if status != 0:
        raise SystemExit(f"{command} ended with {status}")
    assert isinstance(usage, resource.struct_rusage)
    return usage.ru_maxrss * 1024 / 1e6
