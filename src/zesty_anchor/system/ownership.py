"""In whose hands a file is: who may change it, or put another one in its place."""

from __future__ import annotations

import os
import stat
from pathlib import Path


def in_other_hands(file: Path) -> str:
    """Why somebody else than the person and root may decide what a file says; empty where nobody may.

    Looked at are the file, where it really is, and each folder above it: who may write into a folder may put another file
    there, unless it is one where only owners remove (sticky, chmod(1)).
    """
    real = Path(os.path.realpath(file))
    trusted = (0, os.geteuid())
    below: os.stat_result | None = None
    for path in (real, *real.parents):
        try:
            state = path.stat()
        except OSError as error:
            return f"{path} cannot be looked at: {error.strerror}"
        if state.st_uid not in trusted:
            return f"{path} belongs to another user (number {state.st_uid})"
        open_to = _others_may_write(state)
        sticky = stat.S_ISDIR(state.st_mode) and state.st_mode & stat.S_ISVTX
        if open_to and not (sticky and below is not None):
            return f"{open_to} may write {'into ' if stat.S_ISDIR(state.st_mode) else ''}{path}"
        below = state
    return ""


def _others_may_write(state: os.stat_result) -> str:
    if state.st_mode & stat.S_IWOTH:
        return "everybody"
    if state.st_mode & stat.S_IWGRP and state.st_gid not in (0, os.getegid()):
        return f"the group {state.st_gid}"
    return ""
