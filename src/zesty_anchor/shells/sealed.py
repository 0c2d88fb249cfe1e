"""A copy of the home that shells start in: what they write there is gone with it, and nothing of the real one changes.

On Linux it is the real home under a layer of its own (user_namespaces(7), mount_namespaces(7); the kernel's
Documentation/filesystems/overlayfs), with no network where that is wanted (network_namespaces(7)), and with the commands
that do harm written down and not run. Where the system does not allow that, it is a folder with copies of the files that
matter and links to the rest.
"""

from __future__ import annotations

import ctypes
import os
import pickle
import shutil
import signal
import stat
import tempfile
from collections.abc import Callable, Iterable, Mapping
from pathlib import Path
from typing import Any, TypeVar

import msgspec

from zesty_anchor.system.problem import Problem
from zesty_anchor.system.room import room as room_for

HARMFUL = (
    "rm", "rmdir", "unlink", "mv", "cp", "ln", "dd", "install", "shred", "truncate", "chmod", "chown", "chgrp", "rsync",
    "tar", "curl", "wget", "ssh", "scp", "sftp", "git", "sudo", "su", "doas", "kill", "pkill", "killall", "systemctl",
    "apt", "apt-get", "dpkg", "dnf", "zypper", "pacman", "pip", "pip3", "npm", "crontab", "mkfs", "mount", "umount",
)  # fmt: skip
"""Commands that remove, overwrite, fetch, or reach other machines and processes."""

_FOLDERS = ("/usr/local/bin", "/usr/bin", "/bin", "/usr/local/sbin", "/usr/sbin", "/sbin")
_NEW_USER, _NEW_MOUNTS, _NEW_NETWORK = 0x10000000, 0x00020000, 0x40000000
_BIND, _RECURSIVE, _PRIVATE = 4096, 16384, 1 << 18
_DIE_WITH_PARENT = 1
_MOUNT_SETATTR, _READ_ONLY, _AT_RECURSIVE, _HERE = 442, 1, 0x8000, -100
_FREE = ("/tmp", "/var/tmp", "/dev/shm", "/proc")
"""What is written at any time, and holds nothing that lasts."""

_Result = TypeVar("_Result")


class World(msgspec.Struct, frozen=True):
    """A home as it would be: with other content in some of its files (``texts``), and without others (``gone``).

    ``sealed`` cuts the network off, and has harmful commands written down. ``apart`` makes everything read-only but the copy and the
    folders for temporary files, and keeps what is written on a disk and not in memory.
    """

    home: Path
    texts: Mapping[Path, bytes] = {}
    gone: tuple[Path, ...] = ()
    sealed: bool = False
    apart: bool = False


class Closed(Exception):
    """The system does not allow a layer of its own."""


def in_copy(world: World, task: Callable[[Path], _Result]) -> tuple[_Result, tuple[str, ...]]:
    """Do a task in a copy of the home, whose path it is given, in a process of its own.

    Returns its result, which must be one that can be pickled, and the harmful commands that were called, each once with
    its arguments. Raises ``Closed`` where the system does not allow it, and whatever the task raises.
    """
    with room_for("copy") as room:
        return _child(lambda: _enter(world, room), lambda: (task(world.home), calls_in(room)))


def in_links(world: World, task: Callable[[Path], _Result]) -> tuple[_Result, tuple[str, ...]]:
    """The same where the system allows no layer: in a folder with copies of the ``texts``, in which the home's path is
    replaced, and links to the rest. The network stays, and harmful commands are written down as long as PATH is not set
    anew.
    """
    with room_for("copy") as room:
        home = room / "home"
        linked(world, home)
        _write_recorders(room)
        return task(home), calls_in(room)


def linked(world: World, home: Path) -> None:
    """Make that folder."""
    inner = {path.relative_to(world.home) for path in (*world.texts, *world.gone) if path.is_relative_to(world.home)}
    parents = {parent for path in inner for parent in path.parents}

    def fill(folder: Path) -> None:
        (home / folder).mkdir()
        for entry in os.scandir(world.home / folder) if (world.home / folder).is_dir() else ():
            path = folder / entry.name
            if path in parents:
                fill(path)
            elif path not in inner:
                (home / path).symlink_to(entry.path)

    fill(Path())
    for path, content in world.texts.items():
        if path.is_relative_to(world.home):
            copy = home / path.relative_to(world.home)
            copy.parent.mkdir(parents=True, exist_ok=True)
            copy.write_bytes(content.replace(os.fsencode(world.home) + b"/", os.fsencode(home) + b"/"))


def calls_in(room: Path) -> tuple[str, ...]:
    """The harmful commands that were called."""
    calls = room / "calls"
    text = calls.read_text("utf-8", "surrogateescape") if calls.exists() else ""
    return tuple(dict.fromkeys(text.splitlines()))


def recorders(room: Path) -> str:
    """The folder of the commands that only write down how they were called."""
    return str(room / "recorders")


def _write_recorders(room: Path) -> Path:
    folder = Path(recorders(room))
    folder.mkdir()
    for name in HARMFUL:
        file = folder / name
        file.write_text(f"#!/bin/sh\nprintf '%s\\n' \"{name} $*\" >>'{room}/calls'\n")
        file.chmod(0o755)
    return folder


def _child(enter: Callable[[], None], task: Callable[[], _Result]) -> _Result:
    """Do both in a child, which ends with us."""
    receiver, sender = os.pipe()
    parent, child = os.getpid(), os.fork()
    if child == 0:
        os.close(receiver)
        os._exit(_as_child(parent, sender, enter, task))
    os.close(sender)
    try:
        with os.fdopen(receiver, "rb") as answer:
            content = answer.read()
    except BaseException:
        os.kill(child, signal.SIGKILL)
        raise
    finally:
        os.waitpid(child, 0)
    if not content:
        raise Problem("a copy of the home for shells to start in ended before they had answered", advice="try it again")
    kind, value = pickle.loads(content)
    if kind == "closed":
        raise Closed(value)
    if kind == "failed":
        raise value
    result: _Result = value
    return result


def _as_child(parent: int, sender: int, enter: Callable[[], None], task: Callable[[], Any]) -> int:
    try:
        for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
            signal.signal(number, signal.SIG_DFL)
        _libc().prctl(_DIE_WITH_PARENT, signal.SIGKILL)
        if os.getppid() != parent:
            return 1
        try:
            enter()
        except (OSError, AttributeError) as error:
            answer: tuple[str, Any] = ("closed", str(error))
        else:
            try:
                answer = ("done", task())
            except Exception as error:
                answer = ("failed", error)
        with os.fdopen(sender, "wb") as out:
            out.write(pickle.dumps(answer))
    except BaseException:
        return 1
    return 0


def _libc() -> Any:
    return ctypes.CDLL(None, use_errno=True)


def _call(name: str, *arguments: object) -> None:
    """A system call that must succeed. Raises ``OSError``, or ``AttributeError`` where the system has none of that name."""
    if getattr(_libc(), name)(*arguments) != 0:
        number = ctypes.get_errno()
        raise OSError(number, f"{name}: {os.strerror(number)}")


def _mount(source: str, target: str, kind: str, flags: int, data: str = "") -> None:
    _call("mount", os.fsencode(source), os.fsencode(target), kind.encode(), ctypes.c_ulong(flags), os.fsencode(data))


def _become(user: int, group: int, *, inside: tuple[int, int], flags: int = 0) -> None:
    """Enter a user namespace of our own, in which we are ``inside``."""
    _call("unshare", ctypes.c_int(_NEW_USER | flags))
    Path("/proc/self/setgroups").write_text("deny")
    Path("/proc/self/uid_map").write_text(f"{inside[0]} {user} 1")
    Path("/proc/self/gid_map").write_text(f"{inside[1]} {group} 1")


def _enter(world: World, room: Path) -> None:
    """Lay the layer over the home, and become ourselves again. Raises ``OSError`` where the system does not allow it."""
    user, group = os.geteuid(), os.getegid()
    layer, home = room / "layer", Path(os.path.realpath(world.home))
    layer.mkdir()
    recorded = _write_recorders(room) if world.sealed else None
    network = _NEW_NETWORK if world.sealed else 0
    _become(user, group, inside=(0, 0), flags=_NEW_MOUNTS | network)
    _mount("none", "/", "none", _RECURSIVE | _PRIVATE)
    if not world.apart:
        _mount("tmpfs", str(layer), "tmpfs", 0, "mode=700")
    os.chdir(layer)  # names of a layer may hold no comma and no colon, so they are relative
    for name in ("lower", "upper", "work"):
        Path(name).mkdir()
    _mount(str(home), "lower", "none", _BIND)
    upper = Path("upper")
    for path in world.gone:
        _leave_out(path, home, upper)
    for path, content in world.texts.items():
        _overwrite(path, content, home, upper)
    shutil.copystat("lower", "upper")
    _mount("overlay", str(home), "overlay", 0, "lowerdir=lower,upperdir=upper,workdir=work,userxattr")
    if room.is_relative_to(home):
        _mount(f"lower/{room.relative_to(home)}", str(room), "none", _BIND)
    if recorded is not None:
        for target, name in _programs():
            _mount(str(recorded / name), target, "none", _BIND)
    if world.apart:
        _keep_the_rest(home)
    os.chdir(home)
    if user != 0:
        _become(0, 0, inside=(user, group))


def _keep_the_rest(home: Path) -> None:
    """Make everything read-only that is mounted, but the home and what must be written at any time (mount_setattr(2))."""
    free = [each for each in (*_FREE, tempfile.gettempdir()) if os.path.isdir(each)]
    for folder in free:
        _mount(folder, folder, "none", _BIND | _RECURSIVE)
    _set_read_only("/", recursive=True, wanted=True)
    for folder in (*free, str(home)):
        _set_read_only(folder, recursive=False, wanted=False)


def _set_read_only(path: str, *, recursive: bool, wanted: bool) -> None:
    attributes = (ctypes.c_uint64 * 4)(_READ_ONLY if wanted else 0, 0 if wanted else _READ_ONLY, 0, 0)
    _call(
        "syscall", ctypes.c_long(_MOUNT_SETATTR), ctypes.c_int(_HERE), os.fsencode(path),
        ctypes.c_uint(_AT_RECURSIVE if recursive else 0), attributes, ctypes.c_size_t(ctypes.sizeof(attributes)),
    )  # fmt: skip


def _within(path: Path, home: Path) -> Path | None:
    """Where a path of the home stands below it."""
    real = Path(os.path.realpath(path.parent)) / path.name
    return real.relative_to(home) if real.is_relative_to(home) and real != home else None


def _leave_out(path: Path, home: Path, upper: Path) -> None:
    inner = _within(path, home)
    if inner is None:  # outside of the home: something empty stands in its place
        if path.is_dir():
            _mount("tmpfs", str(path), "tmpfs", 0, "mode=700")
        elif path.exists():
            _mount("/dev/null", str(path), "none", _BIND)
        return
    (upper / inner).parent.mkdir(parents=True, exist_ok=True)
    os.mknod(upper / inner, stat.S_IFCHR, os.makedev(0, 0))  # what stands for something that was removed


def _overwrite(path: Path, content: bytes, home: Path, upper: Path) -> None:
    inner = _within(path, home)
    if inner is None or any((upper / parent).is_char_device() for parent in (inner, *inner.parents)):
        return
    copy = upper / inner
    copy.parent.mkdir(parents=True, exist_ok=True)
    copy.write_bytes(content)
    if path.exists():
        copy.chmod(stat.S_IMODE(path.stat().st_mode))


def _programs() -> Iterable[tuple[str, str]]:
    """The harmful programs of this system, each file once; one that stands for many commands is not among them."""
    seen = set()
    for name in HARMFUL:
        for folder in _FOLDERS:
            file = os.path.realpath(os.path.join(folder, name))
            if os.path.basename(file) == name and os.path.isfile(file) and file not in seen:
                seen.add(file)
                yield file, name
