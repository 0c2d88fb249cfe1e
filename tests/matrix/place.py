"""A root that a user works in: a Debian in a folder, or this machine's own programs with an empty home. The
mounts end with the process that made them, if that has mounts of its own (unshare --mount).
"""

from __future__ import annotations

import os
import re
import shutil
import subprocess
import tempfile
import time
from pathlib import Path
from typing import Any

import pexpect

USER = "tide"
PATH = "/usr/local/bin:/usr/bin:/bin"
AS_ROOT = {"PATH": "/usr/sbin:/usr/bin:/sbin:/bin", "LC_ALL": "C", "DEBIAN_FRONTEND": "noninteractive"}
AUTHORITIES = Path("/usr/local/share/ca-certificates")
SECONDS = 60
_SYSTEM = (Path("/usr"), Path("/var/lib/dpkg"))
_LINKED = ("bin", "sbin", "lib", "lib64")


class Place:
    """One root with one user. ``more`` is what the environment of each command has besides; each may take
    ``slower`` times as long as one of this machine.
    """

    def __init__(self, root: Path, more: dict[str, str], slower: int = 1) -> None:
        self.root, self.home, self.more = root, root / "home" / USER, more
        self.slower = slower

    def inside(self, *words: str) -> str:
        """Run as root; returns what was printed. Raises ``CalledProcessError``."""
        return subprocess.run(
            ["/usr/sbin/chroot", str(self.root), *words], env=AS_ROOT, capture_output=True, text=True,
            check=True, stdin=subprocess.DEVNULL,
        ).stdout  # fmt: skip

    def add_user(self) -> None:
        """As an administrator does it: the home is a copy of the system's skeleton."""
        self.inside("useradd", "-m", "-s", "/bin/bash", USER)

    def trust_what_this_machine_trusts(self) -> None:
        """The authorities that an administrator has added here, and how names are looked up."""
        for file in AUTHORITIES.glob("*.crt"):
            shutil.copy(file, self.root / "usr/local/share/ca-certificates")
        self.inside("update-ca-certificates")
        shutil.copy("/etc/resolv.conf", self.root / "etc/resolv.conf")

    def words(self, *command: str) -> list[str]:
        """What starts a command as the user, in the home, with the environment that a login gives."""
        given = {
            "HOME": f"/home/{USER}", "USER": USER, "LOGNAME": USER, "SHELL": "/bin/bash", "TERM": "dumb",
            "LANG": "C.UTF-8", "PATH": PATH, **self.more,
        }  # fmt: skip
        return [
            "/usr/sbin/chroot", f"--userspec={USER}:{USER}", f"--groups={USER}", str(self.root),
            "/usr/bin/env", "-i", *(f"{name}={value}" for name, value in given.items()),
            "sh", "-c", 'cd && exec "$@"', "sh", *command,
        ]  # fmt: skip

    def run(self, *command: str) -> subprocess.CompletedProcess[str]:
        """Run as the user, with no terminal."""
        return subprocess.run(
            self.words(*command), stdin=subprocess.DEVNULL, capture_output=True, text=True, check=False,
            start_new_session=True, timeout=600 * self.slower,
        )  # fmt: skip

    def version(self, *packages: str) -> str:
        """Of the first of these packages that is installed, as its makers number it: without Debian's epoch,
        revision and remarks.
        """
        query = ["sh", "-c", 'dpkg-query -W -f "$@" 2>/dev/null || true', "sh", "${Package} ${Version}\n"]
        listed = self.inside(*query, *packages)
        there = dict(line.split(" ", 1) for line in listed.splitlines())
        whole = next(there[package] for package in packages if there.get(package))
        return re.sub(r"^\d+:|^.*really|-[^-]*$|\+git.*", "", whole)


class Window:
    """A shell at a terminal, in which lines are typed. What they print goes to a file."""

    def __init__(self, place: Place, *shell: str) -> None:
        self.place = place
        self.answers = Path(tempfile.mkdtemp(dir=place.root / "tmp"))
        self.answers.chmod(0o777)
        words = place.words(*shell)
        self.child: Any = pexpect.spawn(words[0], words[1:], encoding="utf-8", dimensions=(50, 200))
        self.count = 0
        self.shown = ""

    def ask(self, line: str) -> str:
        """Type a line, and wait until it has ended. Returns what it printed, without the line end."""
        return self.type(f"{line} >/tmp/{self.answers.name}/{self.count + 1}")

    def type(self, line: str) -> str:
        """The same for a line that prints nothing, or whose output belongs on the terminal."""
        self.count += 1
        file = self.answers / str(self.count)
        self.child.sendline(line)
        self.child.sendline(f"echo >/tmp/{self.answers.name}/{self.count}.end")
        until = time.monotonic() + SECONDS * self.place.slower
        while not file.with_suffix(".end").exists():
            self._read()
            if time.monotonic() > until or not self.child.isalive():
                raise TimeoutError(f"no end of {line!r}; on the terminal:\n{self.shown}")
        return file.read_text("utf-8").strip() if file.exists() else ""

    def _read(self) -> None:
        try:
            self.shown += self.child.read_nonblocking(4096, 0.05)
        except (pexpect.TIMEOUT, pexpect.EOF):
            time.sleep(0.02)

    def close(self) -> None:
        self.child.close(force=True)


def opened(base: Path, root: Path, more: dict[str, str], slower: int = 1) -> Place:
    """A copy of the Debian in ``base``, made anew at ``root``, with its mounts and its user."""
    closed(root)
    shutil.rmtree(root, ignore_errors=True)
    subprocess.run(["cp", "-a", "--reflink=auto", str(base), str(root)], check=True)
    return _ready(Place(root, more, slower))


def borrowed(root: Path, more: dict[str, str], *folders: Path) -> Place:
    """This machine's own programs and ``folders``, read only, in an empty ``root`` with a copy of /etc."""
    for name in _LINKED:
        (root / name).symlink_to(os.readlink(f"/{name}"))
    for folder in (*_SYSTEM, *folders):
        inside = root / folder.relative_to("/")
        inside.mkdir(parents=True)
        subprocess.run(["mount", "--bind", "-o", "ro", str(folder), str(inside)], check=True)
    subprocess.run(["cp", "-a", "/etc", str(root)], check=True)
    for name in ("proc", "dev", "home", "run"):
        (root / name).mkdir()
    return _ready(Place(root, more))


def _ready(place: Place) -> Place:
    subprocess.run(["mount", "-t", "proc", "proc", str(place.root / "proc")], check=True)
    subprocess.run(["mount", "--rbind", "/dev", str(place.root / "dev")], check=True)
    (place.root / "tmp").mkdir(exist_ok=True)
    (place.root / "tmp").chmod(0o1777)
    place.add_user()
    return place


def closed(root: Path) -> None:
    """Take the mounts below a root away, those that are there."""
    with open("/proc/self/mounts", encoding="utf-8") as mounts:
        there = [line.split(" ")[1] for line in mounts]
    for place in reversed([each for each in there if each.startswith(f"{root}/")]):
        subprocess.run(["umount", "-l", place], capture_output=True, check=False)
