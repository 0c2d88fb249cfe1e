"""A copy of the home that shells start in: what they write there is gone with it, and nothing of the real one
changes.

On Linux it is the real home under a layer of its own (user_namespaces(7), mount_namespaces(7); the kernel's
Documentation/filesystems/overlayfs), with no network where that is wanted (network_namespaces(7)), and with
the commands that do harm written down and not run. Where the system does not allow that, it is a folder with
copies of the files that matter and links to the rest.
"""

from __future__ import annotations

import os
import shutil
import stat
import tempfile
from collections.abc import Callable, Iterable, Mapping
from pathlib import Path
from typing import TypeVar

import msgspec

from zesty_anchor.system.namespaces import (
    BIND,
    NEW_MOUNTS,
    NEW_NETWORK,
    PRIVATE,
    RECURSIVE,
    become,
    in_child,
    mount,
    set_read_only,
)
from zesty_anchor.system.package_managers import package_programs
from zesty_anchor.system.room import room as room_for

_HARMFUL = (
    "rm", "rmdir", "unlink", "mv", "cp", "ln", "dd", "install", "shred", "truncate", "chmod", "chown",
    "chgrp", "rsync",
    "tar", "curl", "wget", "ssh", "scp", "sftp", "git", "sudo", "su", "doas", "kill", "pkill", "killall",
    "systemctl",
    "pip", "pip3", "npm", "crontab", "mkfs", "mount", "umount",
)  # fmt: skip
"""Commands that remove, overwrite, fetch, or reach other machines and processes. Those of package managers
come to them.
"""

_FOLDERS = ("/usr/local/bin", "/usr/bin", "/bin", "/usr/local/sbin", "/usr/sbin", "/sbin")
_FREE = ("/tmp", "/var/tmp", "/dev/shm", "/proc")
"""What is written at any time, and holds nothing that lasts."""

_Result = TypeVar("_Result")


class World(msgspec.Struct, frozen=True):
    """A home as it would be: with other content in some of its files (``texts``), and without others
    (``gone``).

    ``sealed`` cuts the network off, and has harmful commands written down. ``apart`` makes everything
    read-only but the copy and the folders for temporary files and those that are ``free``, and keeps what is
    written on a disk and not in memory.
    """

    home: Path
    texts: Mapping[Path, bytes] = {}
    gone: tuple[Path, ...] = ()
    sealed: bool = False
    apart: bool = False
    free: tuple[Path, ...] = ()


def in_copy(
    world: World, task: Callable[[Path], _Result], meanwhile: Callable[[], object] | None = None
) -> tuple[_Result, tuple[str, ...]]:
    """Do a task in a copy of the home, whose path it is given, in a process of its own, and ``meanwhile`` in
    this one.

    Returns its result, which must be one that can be pickled, and the harmful commands that were called, each
    once with its arguments. Raises ``Closed`` where the system does not allow it, and whatever the task
    raises.
    """
    with room_for("copy") as room:
        return in_child(lambda: _enter(world, room), lambda: (task(world.home), calls_in(room)), meanwhile)


def enter_layer(world: World, room: Path) -> Path:
    """Have this process, and all that it starts, see the home under a layer in ``room``. Returns the folder
    that holds what is written there, which stays: the change set (overlayfs, "whiteouts and opaque
    directories"). Raises ``OSError`` where it is not allowed.
    """
    _enter(world, room)
    return upper_in(room)


def upper_in(room: Path) -> Path:
    """The folder in a room that holds what was written in the layer."""
    return room / "layer/upper"


def in_links(world: World, task: Callable[[Path], _Result]) -> tuple[_Result, tuple[str, ...]]:
    """The same where the system allows no layer: in a folder with copies of the ``texts``, in which the
    home's path is replaced, and links to the rest. The network stays, and harmful commands are written down
    as long as PATH is not set anew.
    """
    with room_for("copy") as room:
        home = room / "home"
        linked(world, home)
        _write_recorders(room)
        return task(home), calls_in(room)


def linked(world: World, home: Path) -> None:
    """Make that folder."""
    inner = {
        path.relative_to(world.home)
        for path in (*world.texts, *world.gone)
        if path.is_relative_to(world.home)
    }
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


def _harmful() -> tuple[str, ...]:
    return _HARMFUL + package_programs()


def recorders(room: Path) -> str:
    """The folder of the commands that only write down how they were called."""
    return str(room / "recorders")


def _write_recorders(room: Path) -> Path:
    folder = Path(recorders(room))
    folder.mkdir()
    for name in _harmful():
        file = folder / name
        file.write_text(f"#!/bin/sh\nprintf '%s\\n' \"{name} $*\" >>'{room}/calls'\n")
        file.chmod(0o755)
    return folder


def _enter(world: World, room: Path) -> None:
    """Lay the layer over the home, and become ourselves again. Raises ``OSError`` where the system does not
    allow it.
    """
    user, group = os.geteuid(), os.getegid()
    layer, home = room / "layer", Path(os.path.realpath(world.home))
    layer.mkdir()
    recorded = _write_recorders(room) if world.sealed else None
    network = NEW_NETWORK if world.sealed else 0
    become(user, group, inside=(0, 0), flags=NEW_MOUNTS | network)
    mount("none", "/", "none", RECURSIVE | PRIVATE)
    if not world.apart:
        mount("tmpfs", str(layer), "tmpfs", 0, "mode=700")
    os.chdir(layer)  # names of a layer may hold no comma and no colon, so they are relative
    for name in ("lower", "upper", "work"):
        Path(name).mkdir()
    mount(str(home), "lower", "none", BIND)
    upper = Path("upper")
    for path in world.gone:
        _leave_out(path, home, upper)
    for path, content in world.texts.items():
        _overwrite(path, content, home, upper)
    shutil.copystat("lower", "upper")
    mount("overlay", str(home), "overlay", 0, "lowerdir=lower,upperdir=upper,workdir=work,userxattr")
    if room.is_relative_to(home):
        mount(f"lower/{room.relative_to(home)}", str(room), "none", BIND)
    elif not world.apart:
        _keep_rooms_in(layer / "rooms")
    if recorded is not None:
        for target, name in _programs():
            mount(str(recorded / name), target, "none", BIND)
    if world.apart:
        _keep_the_rest(home, world.free)
    os.chdir(home)
    if user != 0:
        become(0, 0, inside=(user, group))


def _keep_rooms_in(folder: Path) -> None:
    """Have what is asked of shells from now on written in memory, where only this process and its children
    see it.
    """
    folder.mkdir()
    tempfile.tempdir = str(folder)


def _keep_the_rest(home: Path, more: Iterable[Path]) -> None:
    """Make everything read-only that is mounted, but the home and what must be written at any time
    (mount_setattr(2)).
    """
    free = [each for each in (*_FREE, tempfile.gettempdir(), *map(str, more)) if os.path.isdir(each)]
    for folder in free:
        mount(folder, folder, "none", BIND | RECURSIVE)
    set_read_only("/", recursive=True, wanted=True)
    for folder in (*free, str(home)):
        set_read_only(folder, recursive=False, wanted=False)


def _within(path: Path, home: Path) -> Path | None:
    """Where a path of the home stands below it."""
    real = Path(os.path.realpath(path.parent)) / path.name
    return real.relative_to(home) if real.is_relative_to(home) and real != home else None


def _leave_out(path: Path, home: Path, upper: Path) -> None:
    inner = _within(path, home)
    if inner is None:  # outside of the home: something empty stands in its place
        if path.is_dir():
            mount("tmpfs", str(path), "tmpfs", 0, "mode=700")
        elif path.exists():
            mount("/dev/null", str(path), "none", BIND)
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
    """The harmful programs of this system, each file once; one that stands for many commands is not among
    them.
    """
    seen = set()
    for name in _harmful():
        for folder in _FOLDERS:
            file = os.path.realpath(os.path.join(folder, name))
            if os.path.basename(file) == name and os.path.isfile(file) and file not in seen:
                seen.add(file)
                yield file, name
