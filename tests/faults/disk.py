"""A file system as a power cut leaves it: the program's system calls, recorded by strace(1), replayed up to
any point.

What is on disk for certain is what fsync(2) was asked for: a file's bytes since its last one, a folder's
names since its own. All else may be there or not; two ends of that are looked at. ``Names`` tells which names
are there.
"""

from __future__ import annotations

import os
import re
import subprocess
from collections.abc import Iterator
from enum import Enum
from pathlib import Path

from tests.conftest import PROGRAM, Desk
from zesty_anchor.system.host import login_path

CALLS = (
    "openat,creat,write,pwrite64,rename,renameat,renameat2,unlink,unlinkat,link,linkat,symlink,symlinkat,mkdir,mkdirat,rmdir,"
    "fsync,fdatasync,ftruncate,sendfile,copy_file_range"
)
_LINE = re.compile(r"^\d+ +(?P<name>\w+)\((?P<given>.*)\) += (?P<result>-?\d+)(?P<rest>.*)$")
_STRING = re.compile(r'"((?:\\x[0-9a-f]{2})*)"(?:\.\.\.)?')
_DESCRIPTOR = re.compile(r"^-?\w+<([^>]*)>")


class Names(Enum):
    """Every name as the calls left it, or only those that a folder's fsync brought to disk."""

    ALL = "every name, bytes that were flushed"
    FLUSHED = "names and bytes that were flushed"
    KILLED = "everything: the program was killed, and the machine went on"


class File:
    """One file: its bytes now, and those that are on disk for certain."""

    def __init__(self, content: bytes = b"", *, on_disk: bool = False) -> None:
        self.now = bytearray(content)
        self.on_disk = content if on_disk else b""


class Disk:
    """The files of a home. Takes calls one after the other."""

    def __init__(self, home: Path) -> None:
        self._home = os.path.realpath(home)
        self.names: dict[str, File] = {}
        self.flushed: dict[str, File] = {}
        self._moved: set[str] = set()
        for root, _, files in os.walk(self._home):
            for name in files:
                path = Path(root, name)
                if path.is_file() and not path.is_symlink():
                    self.names[str(path)] = File(path.read_bytes(), on_disk=True)
        self.flushed = dict(self.names)

    def content(self, path: str, names: Names) -> bytes | None:
        """What a file holds after the cut."""
        file = (self.flushed if names is Names.FLUSHED else self.names).get(path)
        return None if file is None else bytes(file.now) if names is Names.KILLED else file.on_disk

    def below(self, folder: str, names: Names) -> list[bytes]:
        """What all files of a folder hold after the cut."""
        there = self.flushed if names is Names.FLUSHED else self.names
        found = (self.content(path, names) for path in there if path.startswith(folder + "/"))
        return [content for content in found if content is not None]

    def unflushed(self, path: str) -> bool:
        """Whether a file has bytes that are not on disk for certain."""
        file = self.names.get(path)
        return file is not None and bytes(file.now) != file.on_disk

    def take(self, name: str, given: str, result: int) -> str:
        """Apply one call that went well. Returns the path that it was about, if that is in the home."""
        paths = [self._path(bytes.fromhex(text.replace("\\x", "")), given) for text in _STRING.findall(given)]
        descriptor = _DESCRIPTOR.match(given)
        at = _unescaped(descriptor[1]) if descriptor else ""
        if name in ("openat", "creat"):
            return self._open(paths[0], given)
        if name in ("write", "pwrite64") and at in self.names:
            data = bytes.fromhex(_STRING.findall(given)[0].replace("\\x", ""))[:result]
            where = int(given.rsplit(", ", 1)[1]) if name == "pwrite64" else len(self.names[at].now)
            file = self.names[at].now
            file.extend(b"\0" * (where - len(file)))
            file[where : where + len(data)] = data
        elif name == "ftruncate" and at in self.names:
            size = int(given.rsplit(", ", 1)[1])
            del self.names[at].now[size:]
        elif name in ("fsync", "fdatasync"):
            self._flush(at)
        elif name.startswith(("rename", "link")) and len(paths) == 2:
            self._name(paths[0], paths[1], keep=name.startswith("link"))
            return paths[1]
        elif name.startswith("unlink") and paths:
            self.names.pop(paths[0], None)
        return at if at.startswith(self._home) else (paths[0] if paths else "")

    def _open(self, path: str, given: str) -> str:
        if not path.startswith(self._home + "/") or "O_DIRECTORY" in given:
            return ""
        if "O_TRUNC" in given and path in self.names:
            self.names[path].now.clear()
        elif "O_CREAT" in given and path not in self.names:
            self.names[path] = File()
        return path

    def _flush(self, path: str) -> None:
        if path in self.names:
            self.names[path].on_disk = bytes(self.names[path].now)
            return
        # The names in a folder. A folder that was moved takes along what it holds, further down than that.
        start = path + "/"
        here = {name_in(name, start) for name in self.names if name.startswith(start)}
        for there in [name for name in self.flushed if name.startswith(start)]:
            if name_in(there, start) not in here or (
                os.path.dirname(there) == path and there not in self.names
            ):
                del self.flushed[there]
        for name, file in self.names.items():
            if os.path.dirname(name) == path or (name.startswith(start) and name in self._moved):
                self.flushed[name] = file

    def _name(self, old: str, new: str, *, keep: bool) -> None:
        moved = {path: file for path, file in self.names.items() if path == old or path.startswith(old + "/")}
        for path, file in moved.items():
            if not keep:
                del self.names[path]
            self.names[new + path[len(old) :]] = file
            if path != old:
                self._moved.add(new + path[len(old) :])

    def _path(self, text: bytes, given: str) -> str:
        path = os.fsdecode(text)
        if path.startswith("/") or "<" not in given:
            return path
        folder = re.search(r"<([^>]*)>", given)
        return os.path.normpath(os.path.join(_unescaped(folder[1]) if folder else "", path))


def name_in(path: str, start: str) -> str:
    """The entry of a folder that a path below it begins with."""
    return path[len(start) :].split("/")[0]


def _unescaped(path: str) -> str:
    return re.sub(r"\\x([0-9a-f]{2})", lambda m: chr(int(m[1], 16)), path)


def recorded(desk: Desk, folder: Path, *words: str) -> list[tuple[str, str, int]]:
    """The calls of a command of the program and of all that it starts, in order, those that went well."""
    trace = folder / "trace"
    done = subprocess.run(
        ["strace", "-f", "-y", "-xx", "-s", "2000000", "-qq", "-e", f"trace={CALLS}", "-o", str(trace),
        str(PROGRAM), *words],
        cwd=desk.home, env={"HOME": str(desk.home), "PATH": login_path(), "LANG": "C.UTF-8"},
        stdin=subprocess.DEVNULL,
        capture_output=True, text=True, check=False, timeout=120,
    )  # fmt: skip
    assert done.returncode == 0, done.stdout + done.stderr
    return list(_calls(trace))


def _calls(trace: Path) -> Iterator[tuple[str, str, int]]:
    begun: dict[str, str] = {}
    for line in trace.read_text("ascii", "replace").splitlines():
        process = line.split(" ", 1)[0]
        if line.endswith("<unfinished ...>"):
            begun[process] = line.removesuffix("<unfinished ...>").rstrip()
            continue
        resumed = re.match(r"^(\d+) +<\.\.\. \w+ resumed>(.*)$", line)
        if resumed:
            line = begun.pop(process, "") + resumed[2]
        found = _LINE.match(line)
        if found and int(found["result"]) >= 0:
            yield found["name"], found["given"], int(found["result"])
