"""The copy of kelp that "the system" has: a small Debian package, put in for the time of the demo, and taken
out again.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from zesty_anchor.demo.wares import source
from zesty_anchor.system.host import login_path

PACKAGE = "tide-kelp"
PROGRAM = Path("/usr/bin/kelp")
_VERSION = "2.8.0"
_CONTROL = f"""\
Package: {PACKAGE}
Version: {_VERSION}-1
Architecture: all
Maintainer: Tide desk <desk@localhost>
Section: misc
Priority: optional
Description: an old kelp, for the demo of zesty-anchor
 A made-up interpreter for tide bulletins. It may be removed at any time.
"""


def why_not() -> str:
    """Why the package cannot be put in here; empty where it can."""
    if os.geteuid() != 0:
        return "root is not at hand"
    if any(shutil.which(program) is None for program in ("dpkg", "dpkg-deb", "apt-get")):
        return "this is not a system of Debian's family"
    if PROGRAM.exists() and not _installed():
        return f"{PROGRAM} is there already"
    return ""


@contextmanager
def system_copy() -> Iterator[bool]:
    """Has the package installed meanwhile. Gives whether it could be."""
    there = not why_not() and put_in()
    try:
        yield there
    finally:
        if there:
            take_out()


def put_in() -> bool:
    """Build the package and install it; tells whether that went well."""
    with tempfile.TemporaryDirectory() as room:
        tree, file = Path(room, "tree"), Path(room, f"{PACKAGE}.deb")
        for path, content, mode in (
            ("DEBIAN/control", _CONTROL.encode(), 0o644),
            (str(PROGRAM).lstrip("/"), source("kelp.sh", _VERSION), 0o755),
        ):
            (tree / path).parent.mkdir(parents=True, exist_ok=True)
            (tree / path).write_bytes(content)
            (tree / path).chmod(mode)
        for folder in (tree, *(path for path in tree.rglob("*") if path.is_dir())):
            folder.chmod(0o755)
        return _quiet("dpkg-deb", "--root-owner-group", "--build", str(tree), str(file)) and _quiet(
            "dpkg", "-i", str(file)
        )


def take_out() -> None:
    """Remove the package with all that belongs to it."""
    _quiet("dpkg", "--purge", PACKAGE)


def _installed() -> bool:
    return _quiet("dpkg", "-s", PACKAGE)


def _quiet(*words: str) -> bool:
    environment = {"PATH": login_path(), "LC_ALL": "C", "DEBIAN_FRONTEND": "noninteractive"}
    return (
        subprocess.run(
            words, stdin=subprocess.DEVNULL, capture_output=True, check=False, env=environment
        ).returncode
        == 0
    )


if __name__ == "__main__":
    if sys.argv[1:] == ["in"]:
        put_in()
    else:
        take_out()
