"""In whose hands a file is: who may change it, or put another one in its place."""

from __future__ import annotations

import os
import shlex
import stat
from pathlib import Path

from zesty_anchor.system.mounts import advice_where_open
from zesty_anchor.system.problem import UsageProblem
from zesty_anchor.system.with_sudo import with_sudo


def in_other_hands(file: Path) -> str:
    """Why somebody else than the person and root may decide what a file says; empty where nobody may.

    Looked at are the file, where it really is, and each folder above it: who may write into a folder may put
    another file there, unless it is one where only owners remove (sticky, chmod(1)).
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
        open_to = others_may_write(state)
        sticky = stat.S_ISDIR(state.st_mode) and state.st_mode & stat.S_ISVTX
        if open_to and not (sticky and below is not None):
            return f"{open_to} may write {'into ' if stat.S_ISDIR(state.st_mode) else ''}{path}"
        below = state
    return ""


_UNMAPPED = 65534
"""Whose number a user namespace shows for every user that it does not know (user_namespaces(7))."""


def check_own(folder: Path, home: Path) -> None:
    """Raises ``UsageProblem`` where a folder of ours, which may be missing, is another user's or is reached
    by another user's link, where others may write into it, or where they may put another one in its place. Of
    what is above the ``home`` nothing is asked.
    """
    for path in (folder, *folder.parents):
        if path == home or path in home.parents:
            break
        _check_link(path, folder)
        try:
            state = path.stat()
        except OSError:
            continue
        if path == folder:
            _check_itself(folder, state)
        elif state.st_uid not in (0, os.geteuid(), _UNMAPPED):
            raise UsageProblem(
                f"{path} belongs to {owner_name(state.st_uid)}, who could put another folder in place of"
                f" {folder.name}",
                where=str(folder),
                advice=_ELSEWHERE,
            )
        elif (others := others_may_write(state)) and not state.st_mode & stat.S_ISVTX:
            raise UsageProblem(
                f"{others} may write into {path}, and could put another folder in place of {folder.name}",
                where=str(folder),
                advice=advice_where_open(path)
                or f"close it: chmod go-w {shlex.quote(str(path))}; or {_ELSEWHERE}",
            )


_ELSEWHERE = "name a folder of your own: XDG_DATA_HOME, XDG_STATE_HOME, XDG_CACHE_HOME, XDG_CONFIG_HOME"


def _check_link(path: Path, folder: Path) -> None:
    try:
        state = path.lstat()
    except OSError:
        return
    if stat.S_ISLNK(state.st_mode) and state.st_uid not in (0, os.geteuid(), _UNMAPPED):
        raise UsageProblem(
            f"{path} is a symbolic link that belongs to {owner_name(state.st_uid)}, so it is not followed",
            where=f"it leads to {os.readlink(path)}",
            advice=f"remove it, or {_ELSEWHERE}" if path == folder else _ELSEWHERE,
        )


def _check_itself(folder: Path, state: os.stat_result) -> None:
    named = shlex.quote(str(folder))
    if state.st_uid != os.geteuid():
        raise UsageProblem(
            f"{folder} belongs to another user (number {state.st_uid}), so what it holds is not believed",
            where=str(folder),
            advice=f"if it is yours: {with_sudo(f'chown -R {os.geteuid()} {named}')}; else move it away",
        )
    others = others_may_write(state)
    if others:
        raise UsageProblem(
            f"{others} may write into {folder}, so what it holds is not believed",
            where=str(folder),
            advice=advice_where_open(folder) or f"look at what is in it, then: chmod go-w {named}",
        )


def owner_name(user: int) -> str:
    """A user by name, for a person to read; by number where the number has no name."""
    import pwd

    try:
        return pwd.getpwuid(user).pw_name
    except KeyError:
        return f"another user (number {user})"


def others_may_write(state: os.stat_result) -> str:
    """Who besides the owner, root and our own group may write there; empty for nobody. Pure."""
    if state.st_mode & stat.S_IWOTH:
        return "everybody"
    if state.st_mode & stat.S_IWGRP and state.st_gid not in (0, os.getegid()):
        return f"the group {state.st_gid}"
    return ""
