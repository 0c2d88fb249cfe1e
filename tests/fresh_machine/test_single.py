"""The program in one file, on a Debian without any Python, as an ordinary user: from a draft to a verified
Node, and back to nothing. Run by scripts/fresh-machine single, after scripts/single-file.
"""

from __future__ import annotations

import os
import platform
import re
import shutil
import subprocess
import time
from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.fresh_machine.test_fresh_machine import PROJECT, SCRATCH
from zesty_anchor.demo.home import likeness

pytestmark = [pytest.mark.scratch, pytest.mark.network]

FILE = PROJECT / f"dist/zesty-anchor-linux-{platform.machine()}"
AUTHORITIES = Path("/usr/local/share/ca-certificates")
ENVIRONMENT = [
    "HOME=/home/tide",
    "USER=tide",
    "SHELL=/bin/bash",
    "TERM=dumb",
    "PATH=/usr/bin:/bin",
]


class Bare:
    """A Debian without Python, with one user."""

    def __init__(self, root: Path) -> None:
        self.root, self.home = root, root / "home/tide"
        # A bare machine knows no registry: it is that of this one.
        asked = ["npm", "config", "get", "registry"]
        self.registry = subprocess.run(asked, capture_output=True, text=True, check=True).stdout.strip()

    def run(self, *words: str) -> tuple[int, str]:
        """Run as the user, in the home; returns the exit status, and all that was printed."""
        who = ["/usr/sbin/chroot", "--userspec=tide:tide", str(self.root), "/usr/bin/env", "-i",
               f"npm_config_registry={self.registry}", *ENVIRONMENT]  # fmt: skip
        began = time.monotonic()
        done = subprocess.run(
            [*who, "sh", "-c", 'cd && exec "$@"', "sh", *words], stdin=subprocess.DEVNULL, text=True,
            stdout=subprocess.PIPE, stderr=subprocess.STDOUT, check=False,
        )  # fmt: skip
        print(f"$ {' '.join(words)}  ({time.monotonic() - began:.2f} s)\n{done.stdout}")
        return done.returncode, done.stdout

    def well(self, *words: str) -> str:
        code, shown = self.run(*words)
        assert code == 0, shown
        return shown


@pytest.fixture(params=["bullseye", "bookworm", "trixie"])
def bare(request: pytest.FixtureRequest) -> Iterator[Bare]:
    base, root = SCRATCH / f"bare-{request.param}", SCRATCH / "bare"
    for place in ("dev", "proc"):
        subprocess.run(["umount", "-l", str(root / place)], capture_output=True, check=False)
    shutil.rmtree(root, ignore_errors=True)
    subprocess.run(["cp", "-a", "--reflink=auto", str(base), str(root)], check=True)
    subprocess.run(["mount", "-t", "proc", "proc", str(root / "proc")], check=True)
    subprocess.run(["mount", "--rbind", "/dev", str(root / "dev")], check=True)
    shutil.copy("/etc/resolv.conf", root / "etc/resolv.conf")
    for file in AUTHORITIES.glob("*.crt"):
        shutil.copy(file, root / "usr/local/share/ca-certificates")
    for words in (["update-ca-certificates"], ["useradd", "-m", "-s", "/bin/bash", "tide"]):
        subprocess.run(["/usr/sbin/chroot", str(root), *words], check=True, capture_output=True)
    made = Bare(root)
    shutil.copy(FILE, made.home / "zesty-anchor")
    os.chown(made.home / "zesty-anchor", *(os.stat(made.home)[4:6]))
    yield made
    for place in ("dev", "proc"):
        subprocess.run(["umount", "-l", str(root / place)], capture_output=True, check=False)


def test_single_from_a_draft_to_nothing(bare: Bare) -> None:
    assert bare.run("sh", "-c", "command -v python3 python")[1] == "", "there is no Python"
    before = likeness(bare.home, ())
    first = bare.well("./zesty-anchor", "--version")
    assert re.match(r"zesty-anchor \d", first)
    assert bare.well("./zesty-anchor", "--version") == first
    bare.well("./zesty-anchor", "draft", "node", "workstation.toml")
    shown = bare.well("./zesty-anchor", "provision", "--yes", "--trust", "workstation.toml")
    assert "verified in" in shown
    assert bare.well("bash", "-lc", "node -e 'console.log(6 * 7)' && npm --version").startswith("42\n")
    assert re.search(r"All \d+ checks passed", bare.well("./zesty-anchor", "verify"))
    assert (
        bare.well(
            "./zesty-anchor", "with", "node=lts", "--", "sh", "-c", 'echo "$PYTHONHOME$LD_LIBRARY_PATH"'
        )
        == "\n"
    )
    told = bare.well("bash", "-ic", "za status && type za")
    assert "node" in told
    assert "Nothing to do" in bare.well("./zesty-anchor", "provision")
    bare.well("./zesty-anchor", "undo", "--yes")
    told = bare.well("./zesty-anchor", "dismantle", "--yes", "--program")
    assert "zesty-anchor-program" in told
    (bare.home / "workstation.toml").unlink()
    after = {name: each for name, each in likeness(bare.home, ()).items() if name != ".cache"}
    before.pop("zesty-anchor")
    assert after == before
