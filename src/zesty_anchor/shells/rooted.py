"""Another system's root that this process lives in for a while: what is written there is gone with it, and
nothing below the root changes.

The root is a folder as debootstrap(8) makes one, or ``/`` itself, under a layer (the kernel's
Documentation/filesystems/overlayfs). The home lies in it under a layer too, the program's own Python comes
along, and services of packages are not started (Debian's policy-rc.d, see invoke-rc.d(8)).
"""

from __future__ import annotations

import importlib
import os
import pwd
import shutil
import sys
from collections.abc import Callable
from pathlib import Path
from typing import TypeVar

import msgspec

from zesty_anchor.files.replace import content_of
from zesty_anchor.system.namespaces import (
    BIND,
    MOVE,
    RECURSIVE,
    enter_mounts,
    enter_processes,
    in_child,
    mount,
    set_read_only,
)
from zesty_anchor.system.room import room as room_for

_Result = TypeVar("_Result")

_WITH_LIBRARIES = ("ssl", "hashlib", "sqlite3", "lzma", "bz2", "zlib", "ctypes", "pyexpat", "uuid")
"""Modules that need libraries of the system, which the root may not have: fetched before it is entered."""
_NO_SERVICES = b"#!/bin/sh\nexit 101\n"
"""See Debian's /usr/share/doc/init-system-helpers/README.policy-rc.d.gz: 101 forbids it."""


class Root(msgspec.Struct, frozen=True):
    """A root to be entered: its ``folder``, the ``user`` that it gets with the ``home``, and files and
    folders of the machine to be seen in it.
    """

    folder: Path
    user: pwd.struct_passwd
    home: Path
    seen: tuple[Path, ...] = ()


def in_root(root: Root, task: Callable[[], _Result]) -> _Result:
    """Do a task in that root, as root, in a process of its own. Returns its result, which must be one that
    can be pickled.

    Raises ``Closed`` where the system does not allow it, and whatever the task raises.
    """
    for name in _WITH_LIBRARIES:
        importlib.import_module(name)
    with room_for("root") as room:
        return in_child(lambda: _enter(root, room), task)


def _enter(root: Root, room: Path) -> None:
    """Lay it all out. From the moment that the root is entered, absolute paths are its own, links in it among
    them, and those of the machine are relative: so no link of a root leads us out of it.
    """
    here, interpreter = os.getcwd(), Path(os.path.realpath(sys.executable)).read_bytes()
    names, own = content_of(Path("/etc/resolv.conf")) or b"", _own_folders()
    enter_processes()
    enter_mounts()
    machine = os.open("/", os.O_PATH | os.O_DIRECTORY)
    inner = room / "inner"
    inner.mkdir()
    _layered((str(root.folder),), str(inner), str(room / "root"))
    # Not chroot(2) alone: in such a one no user namespace can be made, which shells on trial need.
    os.chdir(inner)
    mount(".", "/", "none", MOVE)
    os.chroot(".")
    os.fchdir(machine)
    _furnish(root, names)
    for number, folder in enumerate(own):
        if not folder.is_relative_to(root.home):
            _brought(folder, _relative(room / f"own{number}"))
    if not root.home.is_dir():
        root.home.mkdir(parents=True)
        os.chown(root.home, root.user.pw_uid, root.user.pw_gid)
    _layered((_relative(root.home),), str(root.home), _relative(room / "home"))
    for path in root.seen:
        if not path.exists():
            _show(path)
    os.close(machine)
    os.chdir(here if os.path.isdir(here) else root.home)
    _whole(Path(sys.executable), interpreter, root.user)


def _show(path: Path) -> None:
    """A file or a folder of this machine's, read-only, where the root has nothing of that name."""
    path.parent.mkdir(parents=True, exist_ok=True)
    path.mkdir() if os.path.isdir(_relative(path)) else path.touch()
    mount(_relative(path), str(path), "none", BIND)
    set_read_only(str(path), recursive=False, wanted=True)


def _relative(path: Path) -> str:
    """A path of the machine, from its root."""
    return str(path.relative_to("/"))


def _whole(program: Path, content: bytes, user: pwd.struct_passwd) -> None:
    """Our own Python where what it is a link to is not in this root: a copy, which a package that brings the
    same file can replace.
    """
    if not program.exists():
        owner = user.pw_uid if program.parent.is_dir() and program.parent.stat().st_uid == user.pw_uid else 0
        _written(program, content, 0o755)
        os.chown(program, owner, -1)


def _brought(folder: Path, layer: str) -> None:
    """A folder of this machine's, over what the root has there; packages of the root may write into it."""
    other = folder.is_dir() and not os.path.samefile(folder, _relative(folder))
    below = (_relative(folder), str(folder)) if other else (_relative(folder),)
    folder.mkdir(parents=True, exist_ok=True)
    try:
        _layered(below, str(folder), layer)
    except OSError:  # layers lie on layers already, and the kernel takes two
        mount(_relative(folder), str(folder), "none", BIND)
        set_read_only(str(folder), recursive=False, wanted=True)


def _layered(below: tuple[str, ...], target: str, layer: str) -> None:
    """Folders, the first on top, at ``target``, and what is written there in ``layer``: on the disk, or in
    memory where that disk allows none.
    """
    os.mkdir(layer)
    try:
        _overlay(below, target, layer)
    except OSError:
        mount("tmpfs", layer, "tmpfs", 0, "mode=700")
        _overlay(below, target, layer)


def _overlay(below: tuple[str, ...], target: str, layer: str) -> None:
    lower = [f"lower{number}" for number in range(len(below))]
    for name in (*lower, "upper", "work"):
        os.makedirs(f"{layer}/{name}", exist_ok=True)
    for folder, name in zip(below, lower, strict=True):
        mount(folder, f"{layer}/{name}", "none", BIND)
    here = os.open(".", os.O_PATH | os.O_DIRECTORY)
    os.chdir(layer)  # names of a layer may hold no comma and no colon, so they are relative
    try:
        shutil.copystat(lower[0], "upper")
        status = os.stat(lower[0])
        os.chown("upper", status.st_uid, status.st_gid)
        mount("overlay", target, "overlay", 0, f"lowerdir={':'.join(lower)},upperdir=upper,workdir=work")
    finally:
        os.fchdir(here)
        os.close(here)


def _furnish(root: Root, names: bytes) -> None:
    """What a machine has that a folder has not: processes, devices, names on the network, and this person."""
    for folder in ("proc", "sys", "dev", "run", "tmp"):
        os.makedirs(f"/{folder}", exist_ok=True)
    for folder in ("sys", "dev"):
        mount(folder, f"/{folder}", "none", BIND | RECURSIVE)
    set_read_only("/sys", recursive=True, wanted=True)
    if os.path.isdir("/dev/shm"):
        mount("tmpfs", "/dev/shm", "tmpfs", 0, "mode=1777")
    mount("proc", "/proc", "proc", 0)
    mount("tmpfs", "/run", "tmpfs", 0, "mode=755")
    # Where others work meanwhile a layer is not sure to hold ("Changes to underlying filesystems",
    # overlayfs).
    mount("tmpfs", "/tmp", "tmpfs", 0, "mode=1777")
    _written(Path("/etc/resolv.conf"), names, 0o644)
    _written(Path("/usr/sbin/policy-rc.d"), _NO_SERVICES, 0o755)
    user = root.user
    for name, line in (
        ("passwd", f"{user.pw_name}:x:{user.pw_uid}:{user.pw_gid}::{root.home}:{user.pw_shell}"),
        ("group", f"{user.pw_name}:x:{user.pw_gid}:"),
    ):
        file = Path("/etc") / name
        rows, new = content_of(file) or b"", os.fsencode(line)
        if not any(row.split(b":")[2:3] == new.split(b":")[2:3] for row in rows.splitlines()):
            _written(file, rows + new + b"\n", 0o644)


def _written(file: Path, content: bytes, mode: int) -> None:
    file.parent.mkdir(parents=True, exist_ok=True)
    file.unlink(missing_ok=True)
    file.write_bytes(content)
    file.chmod(mode)


def _own_folders() -> list[Path]:
    """Where this program's own files are, and those of its Python."""
    import sysconfig

    named = [sysconfig.get_path(name) for name in ("stdlib", "platstdlib", "purelib", "platlib")]
    further = [each for each in sys.path if os.path.basename(each) in ("site-packages", "dist-packages")]
    own = [str(Path(__file__).parents[2]), *([sys.prefix] if sys.prefix != sys.base_prefix else [])]
    found = [Path(os.path.realpath(each)) for each in (*own, *named, *further) if os.path.isdir(each)]
    return [each for each in dict.fromkeys(found) if not set(each.parents) & set(found)]
