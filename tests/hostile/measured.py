"""Unpacking in a process of its own, whose memory, disk and time are measured. Run as a program: FILE FOLDER
KIND.
"""

from __future__ import annotations

import json
import os
import subprocess
import sys
import time
from pathlib import Path
from typing import NamedTuple


class Measured(NamedTuple):
    said: str
    kind: str
    memory: int
    """Bytes at the most."""
    disk: int
    seconds: float


def unpack(content: bytes, room: Path) -> Measured:
    """What became of an archive."""
    file, folder = room / "archive", room / "out"
    file.write_bytes(content)
    folder.mkdir()
    kind = "deb" if content.startswith(b"!<arch>") else "zip" if content.startswith(b"PK") else "tar"
    began = time.monotonic()
    done = subprocess.run(
        [sys.executable, __file__, str(file), str(folder), kind],
        capture_output=True,
        text=True,
        check=False,
        timeout=120,
    )
    assert done.returncode == 0, done.stderr
    told = json.loads(done.stdout)
    disk = sum(
        os.lstat(Path(where, name)).st_blocks * 512 for where, _, names in os.walk(folder) for name in names
    )
    return Measured(told["said"], told["kind"], told["memory"], disk, time.monotonic() - began)


def note(what: str, memory: int = 0, disk: int = 0, seconds: float = 0.0) -> None:
    """For scripts/hostile, which prints what it came to."""
    if file := os.environ.get("ZESTY_ANCHOR_HOSTILE_COUNTED"):
        with open(file, "a", encoding="utf-8") as counted:
            counted.write(f"{memory}\t{disk}\t{seconds:.3f}\t{what}\n")


def main(file: Path, folder: Path, kind: str) -> None:
    from zesty_anchor.shelf.deb_package import unpack_deb
    from zesty_anchor.shelf.unpack import unpack_tar, unpack_zip
    from zesty_anchor.system.problem import Problem

    said = outcome = ""
    try:
        if kind == "zip":
            unpack_zip(file, folder)
        else:
            with file.open("rb") as opened:
                (unpack_deb if kind == "deb" else unpack_tar)(opened, folder)
    except Problem as problem:
        said, outcome = str(problem), type(problem).__name__
    status = Path("/proc/self/status").read_text()  # getrusage(2) counts what our parent had when it forked
    memory = int(next(line for line in status.splitlines() if line.startswith("VmHWM")).split()[1]) * 1024
    print(json.dumps({"said": said, "kind": outcome, "memory": memory}))


if __name__ == "__main__":
    main(Path(sys.argv[1]), Path(sys.argv[2]), sys.argv[3])
