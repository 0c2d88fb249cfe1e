"""What goes wrong, said so that a person can act on it."""

from __future__ import annotations

import errno
import os
import shlex


class Problem(Exception):
    """An error that a person reads: what happened, where, and the next thing to do.

    ``code`` is the exit code that a command ends with (see docs/how-it-works.md).
    """

    code = 1

    def __init__(self, what: str, *, where: str = "", advice: str = "") -> None:
        super().__init__(what)
        self.what = what
        self.where = where
        self.advice = advice

    def __str__(self) -> str:
        return self.what if not self.where else f"{self.what} ({self.where})"


def of_system(error: OSError, where: str = "", *, taken_back: bool = False) -> Problem:
    """What the operating system refused, with what to do about it (errno(3)). ``where`` is told where it
    names no file.
    """
    place = os.fsdecode(error.filename) if isinstance(error.filename, (str, bytes)) else where
    what, advice = _REFUSED.get(error.errno or 0, (error.strerror or str(error), "fix the cause"))
    again = "; what was written for it is removed again" if taken_back else ""
    return Problem(
        what,
        where=place or where,
        advice=f"{advice.format(place=shlex.quote(place))}, then run the command again{again}",
    )


_ALLOW = "it may not be read or written: allow it (ls -ld {place}; chmod u+rwX {place})"
_REFUSED = {
    errno.ENOSPC: ("the disk is full", "make room"),
    errno.EDQUOT: ("your share of the disk is full", "make room"),
    errno.EROFS: ("the file system is read-only", "mount it such that it can be written"),
    errno.EACCES: ("permission denied", _ALLOW),
    errno.EPERM: (
        "the operation is not permitted",
        "see whose it is, and whether it is locked (ls -ld {place}; lsattr -d {place})",
    ),
    errno.EIO: ("the disk, or the terminal, gives an error", "look at the disk (dmesg)"),
    errno.ELOOP: ("its links lead round in a circle", "fix the link (ls -l {place})"),
    errno.ENAMETOOLONG: ("its name is too long", "choose a shorter one"),
    errno.EMFILE: ("too many files are open", "allow more (ulimit -n)"),
    errno.ESTALE: ("the file server has forgotten it", "mount that file system anew"),
    errno.ENOENT: ("it is not there", "see what became of it (ls -l {place})"),
    errno.ENOTDIR: ("something on the way to it is no folder", "move that away (ls -ld {place})"),
    errno.EISDIR: ("it is a folder, where a file is needed", "move it away"),
    errno.EEXIST: ("it is there already", "move it away"),
    errno.ENOTEMPTY: ("the folder is not empty", "see what is in it (ls -a {place})"),
    errno.EBUSY: ("it is in use", "end what uses it"),
    errno.ETXTBSY: ("it is being run", "end it"),
}
"""What is told, and what to do, by the error's number."""


class UsageProblem(Problem):
    """The manifest, or the way a command was called, is wrong."""

    code = 2


class NotThere(Problem):
    """The command that was to run, or the version that it needs, is not there (POSIX.1-2024, Shell Command
    Language, 2.8.2, "Exit Status for Commands").
    """

    code = 127


class Problems(UsageProblem):
    """Several things wrong with one manifest, told together."""

    def __init__(self, each: list[UsageProblem]) -> None:
        super().__init__(each[0].what, where=each[0].where, advice=each[0].advice)
        self.each = each
