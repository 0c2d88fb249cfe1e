"""The times of what an image gets, so that two of them with the same content are the same bytes."""

from __future__ import annotations

import os
from collections.abc import Mapping
from contextlib import suppress
from pathlib import Path

from zesty_anchor.system.problem import UsageProblem


def clamp_times(data: Path, environ: Mapping[str, str]) -> None:
    """Where SOURCE_DATE_EPOCH is set (reproducible-builds.org, "SOURCE_DATE_EPOCH"), give everything in our
    data folder that is newer that time. Raises ``UsageProblem`` where it is no number of seconds.
    """
    text = environ.get("SOURCE_DATE_EPOCH", "")
    if not text:
        return
    if not text.isdecimal():
        raise UsageProblem(
            f"SOURCE_DATE_EPOCH is {text!r}, and no number of seconds",
            advice="set it to seconds since 1970, or unset it",
        )
    latest = int(text)
    for root, _, names in os.walk(data, topdown=False):
        for path in (*(os.path.join(root, name) for name in names), root):
            _clamp(path, latest)


def _clamp(path: str, latest: int) -> None:
    with suppress(OSError):
        if os.lstat(path).st_mtime > latest:
            os.utime(path, (latest, latest), follow_symlinks=False)
