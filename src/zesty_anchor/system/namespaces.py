"""Linux's namespaces: a child that sees mounts of its own (unshare(2), mount(2), mount_setattr(2),
user_namespaces(7)).
"""

from __future__ import annotations

import ctypes
import os
import pickle
import signal
from collections.abc import Callable
from pathlib import Path
from typing import Any, TypeVar

from zesty_anchor.system.problem import Problem
from zesty_anchor.system.signals import ENDING
from zesty_anchor.system.with_sudo import with_sudo

NEW_USER, NEW_MOUNTS, NEW_NETWORK, NEW_PROCESSES = 0x10000000, 0x00020000, 0x40000000, 0x20000000
BIND, MOVE, RECURSIVE, PRIVATE = 4096, 8192, 16384, 1 << 18
_DIE_WITH_PARENT = 1
_MOUNT_SETATTR, _READ_ONLY, _AT_RECURSIVE, _HERE = 442, 1, 0x8000, -100

_Result = TypeVar("_Result")


class Closed(Exception):
    """The system does not allow a layer of its own."""


_SWITCHES = (
    ("kernel.unprivileged_userns_clone", "0", "1"),
    ("kernel.apparmor_restrict_unprivileged_userns", "1", "0"),
    ("user.max_user_namespaces", "0", "63000"),
)
"""Settings of a kernel that close user namespaces to ordinary users, the value that does, and one that does
not (user_namespaces(7), sysctl(8), apparmor(7)).
"""


def way_to_allow(settings: Path = Path("/proc/sys")) -> str:
    """What to do where such a layer is not allowed."""
    closed = []
    for name, shut, wanted in _SWITCHES:
        file = settings / name.replace(".", "/")
        if file.is_file() and file.read_text().strip() == shut:
            closed.append(f"{name}={wanted}")
    if closed:
        return f"have an administrator allow them: {with_sudo(f'sysctl -w {chr(32).join(closed)}')}"
    return "start the container so that its users may create namespaces, or rehearse outside it"


def in_child(
    enter: Callable[[], None], task: Callable[[], _Result], meanwhile: Callable[[], object] | None = None
) -> _Result:
    """Do both in a child, which ends with us, and ``meanwhile`` here. Returns what the task returns, which
    must be one that can be pickled.

    Raises ``Closed`` where entering raises ``OSError``, and whatever the task raises.
    """
    receiver, sender = os.pipe()
    parent, child = os.getpid(), os.fork()
    if child == 0:
        os.close(receiver)
        os._exit(_as_child(parent, sender, enter, task))
    os.close(sender)
    try:
        with os.fdopen(receiver, "rb") as answer:
            if meanwhile is not None:
                meanwhile()
            content = answer.read()
    except BaseException:
        os.kill(child, signal.SIGKILL)
        raise
    finally:
        os.waitpid(child, 0)
    if not content:
        raise Problem(
            "a copy of the home for shells to start in ended before they had answered", advice="try it again"
        )
    kind, value = pickle.loads(content)
    if kind == "closed":
        raise Closed(value)
    if kind == "failed":
        raise value
    result: _Result = value
    return result


def _as_child(parent: int, sender: int, enter: Callable[[], None], task: Callable[[], Any]) -> int:
    try:
        for number in ENDING:
            signal.signal(number, signal.SIG_DFL)
        die_with_parent()
        if os.getppid() != parent:
            return 1
        try:
            try:
                enter()
            except (OSError, AttributeError) as error:
                answer: tuple[str, Any] = ("closed", str(error))
            else:
                answer = ("done", task())
        except Exception as error:
            answer = ("failed", error)
        with os.fdopen(sender, "wb") as out:
            out.write(pickle.dumps(answer))
    except BaseException:
        return 1
    return 0


def enter_mounts() -> None:
    """See mounts of our own from now on, which nobody else sees. Raises ``OSError``."""
    call("unshare", ctypes.c_int(NEW_MOUNTS))
    mount("none", "/", "none", RECURSIVE | PRIVATE)


def enter_processes() -> None:
    """Go on in a child that sees no process of anybody else, and that ends with us; all that it starts ends
    with it (pid_namespaces(7)). The caller waits, and ends as it does. Raises ``OSError``.
    """
    call("unshare", ctypes.c_int(NEW_PROCESSES))
    child = os.fork()
    if child != 0:
        os._exit(os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]) & 0xFF)
    die_with_parent()


def die_with_parent() -> None:
    """Be killed when the parent ends (prctl(2), PR_SET_PDEATHSIG). To be said again where the user was
    changed.
    """
    _libc().prctl(_DIE_WITH_PARENT, signal.SIGKILL)


def _libc() -> Any:
    return ctypes.CDLL(None, use_errno=True)


def call(name: str, *arguments: object) -> None:
    """A system call that must succeed. Raises ``OSError``, or ``AttributeError`` where the system has none of
    that name.
    """
    if getattr(_libc(), name)(*arguments) != 0:
        number = ctypes.get_errno()
        raise OSError(number, f"{name}: {os.strerror(number)}")


def mount(source: str, target: str, kind: str, flags: int, data: str = "") -> None:
    """See mount(2). Raises ``OSError``."""
    call(
        "mount",
        os.fsencode(source),
        os.fsencode(target),
        kind.encode(),
        ctypes.c_ulong(flags),
        os.fsencode(data),
    )


def become(user: int, group: int, *, inside: tuple[int, int], flags: int = 0) -> None:
    """Enter a user namespace of our own, in which we are ``inside``."""
    call("unshare", ctypes.c_int(NEW_USER | flags))
    Path("/proc/self/setgroups").write_text("deny")
    Path("/proc/self/uid_map").write_text(f"{inside[0]} {user} 1")
    Path("/proc/self/gid_map").write_text(f"{inside[1]} {group} 1")


def set_read_only(path: str, *, recursive: bool, wanted: bool) -> None:
    """Make a mount read-only, or writable again (mount_setattr(2)). Raises ``OSError``."""
    attributes = (ctypes.c_uint64 * 4)(_READ_ONLY if wanted else 0, 0 if wanted else _READ_ONLY, 0, 0)
    call(
        "syscall", ctypes.c_long(_MOUNT_SETATTR), ctypes.c_int(_HERE), os.fsencode(path),
        ctypes.c_uint(_AT_RECURSIVE if recursive else 0), attributes,
        ctypes.c_size_t(ctypes.sizeof(attributes)),
    )  # fmt: skip
