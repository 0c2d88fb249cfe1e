"""What the operating system refuses, and what a person does about it."""

from __future__ import annotations

import errno
import os
import shlex
import stat
from pathlib import Path

from zesty_anchor.system.problem import Problem


def of_system(error: OSError, where: str = "", *, taken_back: bool = False) -> Problem:
    """What the operating system refused, with what to do about it (errno(3)). ``where`` is used where
    the error names no file.
    """
    place = os.fsdecode(error.filename) if isinstance(error.filename, (str, bytes)) else where
    what, advice = _REFUSED.get(error.errno or 0, (error.strerror or str(error), "fix the cause"))
    again = "; what was written for it is removed again" if taken_back else ""
    allow = way_to_open(Path(place)) if error.errno == errno.EACCES and place.startswith("/") else ""
    advice = f"allow it: {allow}" if allow else advice.format(place=shlex.quote(place))
    return Problem(what, where=place or where, advice=f"{advice}, then run the command again{again}")


def as_system_error(error: Exception) -> Exception:
    """What Python raises where a thread cannot be started, as what the system refused (pthread_create(3),
    EAGAIN). Any other error as it is.
    """
    if isinstance(error, RuntimeError) and "start new thread" in str(error):
        return OSError(errno.EAGAIN, os.strerror(errno.EAGAIN))
    return error


def way_to_open(path: Path) -> str:
    """The command that lets this user read and write a path of theirs: for the outermost folder that is
    closed, or the path itself. Empty where a mode is not the reason, or the path belongs to somebody else.
    """
    for each in (*reversed(path.parents), path):
        try:
            state = each.stat()
        except OSError:
            return ""
        folder, mine = stat.S_ISDIR(state.st_mode), state.st_uid == os.geteuid()
        needed = os.X_OK if folder else 0
        if each == path:
            needed |= os.R_OK | os.W_OK
        elif each == path.parent and mine:
            needed |= os.W_OK
        if not os.access(each, needed):
            return f"chmod u+rw{'x' if folder else ''} {shlex.quote(str(each))}" if mine else ""
    return ""


_REFUSED = {
    errno.ENOSPC: ("the disk is full", "make room"),
    errno.EDQUOT: ("your share of the disk is full", "make room"),
    errno.EROFS: ("the file system is read-only", "mount it such that it can be written"),
    errno.EACCES: ("permission denied", "see who may read and write it (ls -ld {place})"),
    errno.EPERM: (
        "the operation is not permitted",
        "see whose it is, and whether it is locked (ls -ld {place}; lsattr -d {place})",
    ),
    errno.EIO: ("the disk, or the terminal, gives an error", "look at the disk (dmesg)"),
    errno.ELOOP: ("its links lead round in a circle", "fix the link (ls -l {place})"),
    errno.ENAMETOOLONG: ("its name is too long", "choose a shorter one"),
    errno.EMFILE: ("too many files are open", "allow more (ulimit -n)"),
    errno.EAGAIN: (
        "no more processes can be started for this user",
        "end some of them, or allow more in a shell that may (ulimit -u)",
    ),
    errno.ESTALE: ("the file server has forgotten it", "mount that file system anew"),
    errno.ENOENT: ("it is not there", "see what became of it (ls -l {place})"),
    errno.ENOTDIR: ("something on the way to it is no folder", "move that away (ls -ld {place})"),
    errno.EISDIR: ("it is a folder, where a file is needed", "move it away"),
    errno.EEXIST: ("it is there already", "move it away"),
    errno.ENOTEMPTY: ("the folder is not empty", "see what is in it (ls -a {place})"),
    errno.EBUSY: ("it is in use", "end what uses it"),
    errno.ETXTBSY: ("it is being run", "end it"),
}
"""The message and the advice for each number of an error."""
