"""What would stop a run, looked for before a byte is fetched or a question is asked: limits of the shell, the
disk, the clock.
"""

from __future__ import annotations

import os
import resource
import time
from collections.abc import Callable, Iterator
from contextlib import suppress
from pathlib import Path

from zesty_anchor.system.problem import Problem

_FILES, _LEAST_FILES = 1024, 96
"""How many files this program may open at a time, if it can have that; and what it cannot do without."""
_LEAST_PROCESSES, _COUNTED = 48, 4096
"""How many more processes and threads this program and the shells that it starts need; and the limit above
which those that run are not counted.
"""
_LARGEST = 1 << 30
"""Bytes of the largest file that an ordinary version holds."""
_UNPACKED = 5
"""How much larger than what is fetched all of it becomes, with what it is unpacked from: Node 4, Java 3."""
_PATIENCE = 86_400
_NOEXEC = getattr(os, "ST_NOEXEC", 8)
"""Python has names for the flags of Linux alone (statvfs(3))."""


def obstacles(
    data: Path, fetched: int, shown: Callable[[Path], str], now: float | None = None
) -> Iterator[Problem]:
    """What would stop a run that puts versions below ``data`` and fetches so many bytes. ``now`` is the time
    of the clock (seconds since 1970; None: as it is).
    """
    yield from _limits()
    above = _there(data)
    disk = os.statvfs(above)
    if disk.f_flag & os.ST_RDONLY:
        yield Problem(
            f"{shown(above)} is on a disk that is mounted read-only",
            advice="mount it to be written to, or set XDG_DATA_HOME to a folder on another disk",
        )
    elif disk.f_flag & _NOEXEC:
        yield Problem(
            f"no program in {shown(above)} can be run: its disk is mounted with noexec",
            advice="set XDG_DATA_HOME to a folder on another disk, or mount it without noexec",
        )
    free, needed = disk.f_bavail * disk.f_frsize, fetched * _UNPACKED
    if free < needed:
        yield Problem(
            f"{shown(above)} has {free >> 20} MiB free, and about {needed >> 20} MiB are needed"
            if free >> 20
            else f"the disk that {shown(above)} is on is full",
            advice="make room (zesty-anchor prune shows what can go), or set XDG_DATA_HOME to another disk",
        )
    made = Path(__file__).stat().st_mtime
    if (time.time() if now is None else now) < made - _PATIENCE:
        told = time.strftime("%Y-%m-%d", time.gmtime(now))
        yield Problem(
            f"the clock of this machine says {told}, which is before this program was made: no certificate"
            " would be valid",
            advice="set the clock, for example: timedatectl set-ntp true",
        )


def _limits() -> Iterator[Problem]:
    """What setrlimit(2) holds this program to. Its own limit of open files is raised as far as it may be."""
    soft, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
    most = _FILES if hard == resource.RLIM_INFINITY else min(hard, _FILES)
    if soft != resource.RLIM_INFINITY and soft < most:
        resource.setrlimit(resource.RLIMIT_NOFILE, (most, hard))
        soft = most
    if soft != resource.RLIM_INFINITY and soft < _LEAST_FILES:
        yield Problem(
            f"this shell allows {soft} open files, and at least {_LEAST_FILES} are needed",
            advice=f"ulimit -n {_FILES}   (in a shell that may raise it)",
        )
    yield from _processes()
    size, _ = resource.getrlimit(resource.RLIMIT_FSIZE)
    if size != resource.RLIM_INFINITY and size < _LARGEST:
        yield Problem(
            f"this shell allows no file larger than {size >> 10} KiB (ulimit -f)",
            advice="ulimit -f unlimited   (in a new shell)",
        )


def _processes() -> Iterator[Problem]:
    """Too few processes for this user. Linux counts all that run as this user, threads too, and holds root to
    nothing (getrlimit(2), RLIMIT_NPROC).
    """
    most, _ = resource.getrlimit(resource.RLIMIT_NPROC)
    if most == resource.RLIM_INFINITY or most > _COUNTED or os.geteuid() == 0:
        return
    running = 0
    for process in Path("/proc").glob("[0-9]*"):
        with suppress(OSError):
            if process.stat().st_uid == os.geteuid():
                running += len(os.listdir(process / "task"))
    if most - running < _LEAST_PROCESSES:
        yield Problem(
            f"this shell allows {most} processes of this user, {running} are running, and at least"
            f" {_LEAST_PROCESSES} more are needed (ulimit -u)",
            advice="end some of them, or in a shell that may raise it: ulimit -u 4096",
        )


def _there(folder: Path) -> Path:
    """The folder, or the nearest one above it that is there."""
    return next((each for each in (folder, *folder.parents) if each.is_dir()), Path("/"))
