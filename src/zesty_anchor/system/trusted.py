"""What runs with privilege: programs that root alone can change, in an environment that nobody else chose."""

from __future__ import annotations

import os
import pwd
import stat
from collections.abc import Mapping
from functools import cache

from zesty_anchor.system.host import answering, login_path

_FOLDERS = "/usr/sbin:/usr/bin:/sbin:/bin"
_KEPT = ("TERM", "LANG", "no_proxy", "NO_PROXY")


@cache
def is_roots(path: str) -> bool:
    """Whether root alone can change a file, or put another one in its place; links are followed."""
    return not others_can_change(path)


def others_can_change(path: str) -> str:
    """The file, or the folder above it, that somebody else than root can change (or that is not there); empty
    where root alone can. Links are followed.
    """
    real = os.path.realpath(path)
    while True:
        try:
            state = os.stat(real)
        except OSError:
            return real
        sticky = stat.S_ISDIR(state.st_mode) and state.st_mode & stat.S_ISVTX
        if state.st_uid != 0 or (state.st_mode & (stat.S_IWGRP | stat.S_IWOTH) and not sticky):
            return real
        if real == "/":
            return ""
        real = os.path.dirname(real)


def trusted_program(name: str) -> str | None:
    """The program of a name that may run with privilege: found on the PATH that the system gives root at
    login, and changed by root alone. None where there is none.
    """
    if name.startswith("/"):
        return name if is_roots(name) else None
    found = answering(name, f"{login_path(superuser=True)}:{_FOLDERS}")
    return next((file for file in found if is_roots(os.path.dirname(file)) and is_roots(file)), None)


def trusted_words(command: tuple[str, ...]) -> tuple[str, ...] | None:
    """A command with its program by the whole path, also behind env(1); None where it is not one that may run
    with privilege.
    """
    program = trusted_program(command[0])
    if program is None:
        return None
    words = list(command)
    words[0] = program
    if os.path.basename(command[0]) == "env":
        at = next((n for n, word in enumerate(words[1:], 1) if "=" not in word), len(words))
        if at < len(words):
            inner = trusted_program(words[at])
            if inner is None:
                return None
            words[at] = inner
    return tuple(words)


def trusted_environment(environ: Mapping[str, str]) -> dict[str, str]:
    """The environment of what runs with privilege: of ``environ`` only proxies, the terminal and the
    language. So no option of a loader, an interpreter or a library (LD_*, PYTHON*, SSL_*) reaches it
    (ld.so(8), python(1)).
    """
    kept = {
        name: value for name, value in environ.items() if name in _KEPT or name.lower().endswith("_proxy")
    }
    folders = [each for each in f"{login_path(superuser=True)}:{_FOLDERS}".split(":") if each.startswith("/")]
    path = ":".join(dict.fromkeys(folder for folder in folders if is_roots(folder)))
    return {**kept, "PATH": path or _FOLDERS, "HOME": _home(), "LC_ALL": "C"}


def _home() -> str:
    try:
        return pwd.getpwuid(0).pw_dir
    except KeyError:
        return "/"
