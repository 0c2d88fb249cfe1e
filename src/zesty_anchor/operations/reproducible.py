"""The times of what an image gets, so that two of them with the same content are the same bytes."""

from __future__ import annotations

import os
from collections.abc import Mapping
from contextlib import suppress
from pathlib import Path

from zesty_anchor.system.problem import UsageProblem


def latest_time(environ: Mapping[str, str]) -> int | None:
    """SOURCE_DATE_EPOCH (reproducible-builds.org, "SOURCE_DATE_EPOCH"), in seconds since 1970; None where it
    is not set. Raises ``UsageProblem`` where it is no number of seconds.
    """
    text = environ.get("SOURCE_DATE_EPOCH", "")
    if not text:
        return None
    if not text.isdecimal():
        raise UsageProblem(
            f"SOURCE_DATE_EPOCH is {text!r}, and no number of seconds",
            advice="set it to seconds since 1970, or unset it",
        )
    return int(text)


def clamp_times(data: Path, latest: int | None) -> None:
    """Give everything in our data folder that is newer than ``latest`` that time; None: nothing."""
    if latest is None:
        return
    for root, _, names in os.walk(data, topdown=False):
        for path in (*(os.path.join(root, name) for name in names), root):
            _clamp(path, latest)


def _clamp(path: str, latest: int) -> None:
    with suppress(OSError):
        if os.lstat(path).st_mtime > latest:
            os.utime(path, (latest, latest), follow_symlinks=False)
