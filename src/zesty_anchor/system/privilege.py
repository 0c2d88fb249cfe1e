"""The rights of the superuser: who can give them, and running a command with them."""

from __future__ import annotations

import os
import sys
import threading
from collections.abc import Callable, Mapping
from contextlib import contextmanager
from typing import TYPE_CHECKING

import msgspec

from zesty_anchor.system import root_store
from zesty_anchor.system.problem import Problem
from zesty_anchor.system.trusted import trusted_environment, trusted_program, trusted_words
from zesty_anchor.system.with_sudo import way_to_root

if TYPE_CHECKING:
    import pwd
    from collections.abc import Iterator

    from zesty_anchor.system.root_hand import RootHand

_KEEP_ALIVE_SECONDS = 45.0


class Access(msgspec.Struct, frozen=True):
    """How this process may get privilege. ``way`` is root (it has it), sudo, doas, or empty: not at all.

    ``password`` tells whether one has to be typed first. ``hand`` is what stayed behind as root where this
    process stepped down.
    """

    way: str
    program: str = ""
    password: bool = False
    hand: RootHand | None = None

    def shown(self, command: tuple[str, ...]) -> str:
        """A command as a person, or an administrator, would type it."""
        import shlex

        told = root_store.shown(command)
        if told:
            return told
        words = shlex.join(_as_typed(command))
        way = self.way or way_to_root()
        return words if way in ("root", "") else f"{way} {words}"


NO_ACCESS = Access("")
REHEARSAL = Access("sudo")
"""Stands for any way to privilege in a rehearsal, which uses none."""


def access(environ: Mapping[str, str], hand: RootHand | None = None) -> Access:
    """Find out. sudo(8) and doas(1) are asked without a prompt (-n) whether they would want a password.

    ``hand`` is what ``step_down`` left behind, if it did.
    """
    if os.geteuid() == 0 or hand is not None:
        return Access("root", hand=hand)
    import subprocess

    for way in ("sudo", "doas"):
        program = trusted_program(way)
        if program is not None:
            answer = subprocess.run(
                [program, "-n", "true"], stdin=subprocess.DEVNULL, capture_output=True, check=False,
                env=trusted_environment(environ),
            )  # fmt: skip
            return Access(way, program, answer.returncode != 0)
    return NO_ACCESS


class Refused(Problem):
    """No privilege was given: the password was wrong, or the person may not have it."""


def is_forbidden(said: str) -> bool:
    """Whether sudo or doas says that this user may not use it, whatever the password. Pure."""
    return any(words in said for words in _NEVER)


_NEVER = ("may not run", "not in the sudoers", "not permitted", "not exist in the passwd database")
"""What sudo and doas say to somebody whom no password helps."""


def authenticate(given: Access, user: str, environ: Mapping[str, str], password: str | None = None) -> Access:
    """Let sudo or doas ask for the password on the terminal, once; it does not pass through us. With a
    ``password``, sudo gets that (sudo(8), -S), and where there is no terminal, its later calls by this
    process need none (sudoers(5), "timestamp_type").

    Returns the access that there is then, ``NO_ACCESS`` where the person is not allowed any.
    Raises ``Refused`` where the password was wrong (at the terminal, sudo lets one try three times), and
    where doas, which reads none from us, is to get one.
    """
    if not given.password:
        return given
    import subprocess

    if password is not None and given.way != "sudo":
        raise Refused(
            f"{given.way} takes a password from a terminal alone",
            advice=f"run it in a terminal without --password-stdin, or allow {given.way} without a password",
        )
    if password is not None:
        command = [given.program, "-S", "-v", "-p", ""]
    elif given.way == "sudo":
        command = [given.program, "-v", "-p", f"Password of {user}, asked once: "]
    else:
        command = [given.program, "true"]
    sys.stderr.flush()
    answer = subprocess.run(
        command, stderr=subprocess.PIPE, text=True, check=False, env=trusted_environment(environ),
        input=None if password is None else f"{password}\n",
    )  # fmt: skip
    if answer.returncode == 0:
        return msgspec.structs.replace(given, password=False)
    said = answer.stderr.strip()
    if is_forbidden(said):
        return NO_ACCESS
    raise Refused(
        f"{given.way} gave no privilege: {said.splitlines()[-1] if said else 'no reason given'}",
        advice="nothing was changed; run the command again with the right password",
    )


class Hands:
    """Runs commands with privilege, each told before it runs."""

    def __init__(self, given: Access, tell: Callable[[str], None]) -> None:
        self.access = given
        self._tell = tell
        self._told = ""

    def run(self, command: tuple[str, ...], hear: Callable[[str], None]) -> int:
        """Run a command; each line that it prints, to either stream, goes to ``hear``. Returns its exit
        status.
        """
        told = f"with privilege: {self.access.shown(command)}"
        if told != self._told:  # what is kept for undo takes several commands of one kind
            self._tell(told)
            self._told = told
        words = trusted_words(command)
        if words is None:
            hear(f"{command[0]} is not run as root, because other users can change it or its folder")
            return 127
        if self.access.hand is not None:
            return self.access.hand.run(words, hear)
        from zesty_anchor.system.root_hand import run_here

        return run_here(words if self.access.way == "root" else (self.access.program, "-n", *words), hear)

    @contextmanager
    def kept_alive(self) -> Iterator[None]:
        """Keep sudo from forgetting the password while the work goes on (sudo(8), -v: the cached time is
        renewed).
        """
        if self.access.way != "sudo":
            yield
            return
        import subprocess

        over = threading.Event()

        def renew() -> None:
            while not over.wait(_KEEP_ALIVE_SECONDS):
                subprocess.run(
                    [self.access.program, "-n", "-v"], stdin=subprocess.DEVNULL, capture_output=True,
                    check=False,
                    env=trusted_environment(os.environ),
                )  # fmt: skip

        thread = threading.Thread(target=renew, daemon=True)
        thread.start()
        try:
            yield
        finally:
            over.set()
            thread.join()


def caller(environ: Mapping[str, str]) -> pwd.struct_passwd | None:
    """The user who started this process as root: named by SUDO_UID and SUDO_GID (sudo(8), "ENVIRONMENT"), or
    DOAS_USER (doas(1)). None where this is not root, or root itself called.
    """
    import pwd

    if os.geteuid() != 0:
        return None
    try:
        if environ.get("SUDO_UID"):
            called = pwd.getpwuid(int(environ["SUDO_UID"]))
        elif environ.get("DOAS_USER"):
            called = pwd.getpwnam(environ["DOAS_USER"])
        else:
            return None
    except (KeyError, ValueError):
        return None
    return called if called.pw_uid != 0 else None


def step_down(environ: Mapping[str, str]) -> tuple[dict[str, str], RootHand] | None:
    """Where this process was started as root through sudo or doas, become the user who called, for good.

    Returns the changed environment, and what stays behind as root for what needs privilege; None where
    nothing had to be done.
    """
    called = caller(environ)
    if called is None:
        return None
    from zesty_anchor.system.root_hand import RootHand

    hand = RootHand()
    os.initgroups(called.pw_name, called.pw_gid)
    os.setresgid(called.pw_gid, called.pw_gid, called.pw_gid)
    os.setresuid(called.pw_uid, called.pw_uid, called.pw_uid)
    changed = {k: v for k, v in environ.items() if not k.startswith(("SUDO_", "DOAS_", "XDG_"))}
    changed |= {
        "HOME": called.pw_dir,
        "USER": called.pw_name,
        "LOGNAME": called.pw_name,
        "SHELL": called.pw_shell,
    }
    return changed, hand


_SOURCES = "Dir::Etc::"
"""How apt's options begin that say where it finds its sources (apt.conf(5))."""


def _as_typed(command: tuple[str, ...]) -> tuple[str, ...]:
    """A command without what a person need not type: the env(1) in front, and options of apt-get(8) for us,
    who read what it prints and answer nothing. Where packages come from one source alone, that is kept.
    """
    rest = command
    if command[:1] == ("env",):
        rest = command[1:]
        while rest and "=" in rest[0]:
            rest = rest[1:]
    if rest[:1] != ("apt-get",):
        return rest
    alone = "install" in rest and any(word.startswith(_SOURCES) for word in rest)
    kept: list[str] = []
    for word, after in zip(rest, (*rest[1:], ""), strict=True):
        if word == "-o" and alone and after.startswith(_SOURCES):
            kept += [word, after]
        elif word not in ("-y", "-q", "-o") and "::" not in word:
            kept.append(word)
    return tuple(kept)
