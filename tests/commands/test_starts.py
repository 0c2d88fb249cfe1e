"""Ways of being started by programs of the system, for a real user with each login shell: the table in
docs/shells.md, row by row. ``new`` is the version of the manifest, ``no`` that the command is not found.
"""

from __future__ import annotations

import os
import re
import shutil
import subprocess
import time
from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.conftest import PROGRAM, PROGRAMS, Desk
from tests.fleet import Fleet

pytestmark = [
    pytest.mark.system,
    pytest.mark.needs(
        "bash",
        "zsh",
        "fish",
        "ksh",
        "mksh",
        "tcsh",
        "dash",
        "ssh",
        "sshd",
        "sudo",
        "tmux",
        "screen",
        "at",
        "rsync",
        "git",
    ),
    pytest.mark.skipif(os.geteuid() != 0, reason="to make a user needs root"),
]
USER = "tide-starts"
SHELLS = ("bash", "zsh", "fish", "ksh", "mksh", "tcsh", "sh")
DOCS = Path(__file__).parents[2] / "docs/shells.md"
PATH = "/usr/local/sbin:/usr/local/bin:/usr/sbin:/usr/bin:/sbin:/bin"


def table() -> dict[str, dict[str, str]]:
    """The table of the docs: by the start, what each login shell gives."""
    rows = [
        [cell.strip() for cell in row.strip("|").split("|")]
        for row in DOCS.read_text().split("## Starts\n")[1].split("\n## ")[0].splitlines()
        if row.startswith("|")
    ]
    return {row[0]: dict(zip(rows[0][1:], row[1:], strict=True)) for row in rows[2:]}


class Place:
    """A user of the system, whose home was provisioned for all shells."""

    def __init__(self, fleet: Fleet) -> None:
        self.fleet, self.home = fleet, fleet.home("quay")
        self.answer = self.home / "answer"

    def login_shell(self, shell: str) -> None:
        program = PROGRAMS["dash" if shell == "sh" else shell]
        subprocess.run(["usermod", "-s", program, USER], check=True)

    def ssh(self, *words: str, lines: str | None = None) -> str:
        return run(["ssh", "-F", str(self.fleet.config), *words], lines)

    def by(self, *words: str) -> None:
        """Run something as the user, from a shell that knows nothing."""
        environment = {
            "HOME": str(self.home),
            "USER": USER,
            "LOGNAME": USER,
            "PATH": "/usr/bin:/bin",
            "TERM": "xterm",
        }
        environment["SCREENDIR"] = str(
            self.home / "screens"
        )  # a user of that name may have had another number
        environment["SHELL"] = (
            subprocess.run(["getent", "passwd", USER], capture_output=True, text=True, check=True)
            .stdout.strip()
            .rpartition(":")[2]
        )
        user = ["setpriv", f"--reuid={USER}", f"--regid={USER}", "--init-groups"]
        subprocess.run(
            [*user, *words], env=environment, cwd=self.home, stdin=subprocess.DEVNULL, capture_output=True,
            timeout=60, check=True,
        )  # fmt: skip

    def answered(self) -> str:
        """What was written to the file of the answer, once it is there."""
        for _ in range(300):
            if self.answer.exists() and self.answer.read_text().endswith("end\n"):
                break
            time.sleep(0.05)
        text = self.answer.read_text() if self.answer.exists() else ""
        self.answer.unlink(missing_ok=True)
        return text


def run(words: list[str], lines: str | None = None) -> str:
    done = subprocess.run(
        words, input=lines, capture_output=True, text=True, timeout=60, check=False, cwd="/",
        env={"PATH": PATH, "LANG": "C.UTF-8", "TERM": "xterm"},
        **({} if lines is not None else {"stdin": subprocess.DEVNULL}),
    )  # fmt: skip
    return done.stdout


@pytest.fixture(scope="module")
def place(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Place]:
    import tempfile

    from zesty_anchor.demo.host import Host
    from zesty_anchor.demo.wares import stock_feed

    room = Path(tempfile.mkdtemp(prefix="tide-starts-", dir="/var/tmp"))
    room.chmod(0o755)
    subprocess.run(["userdel", USER], check=False, capture_output=True)
    try:
        (room / "feed").mkdir()
        stock_feed(room / "feed")
        (room / "desk").mkdir()
        with Host(room / "feed") as host:
            fleet = Fleet(room, Desk(room / "desk", host.url))
            subprocess.run(
                ["useradd", "-d", fleet.home("quay"), "-M", "-p", "*", "-s", "/bin/bash", USER], check=True
            )
            fleet.add("quay", user=USER)
            fleet.config.chmod(0o644)
            found = Place(fleet)
            (found.home / "screens").mkdir(mode=0o700)
            for file in Path("/etc/skel").iterdir():
                shutil.copy(file, found.home)
            fleet.desk.wants('[shells]\nuse = "all"\n')
            shutil.copy(fleet.desk.manifest, found.home)
            for file in (found.home, *found.home.iterdir()):
                shutil.chown(file, USER, USER)
            found.by(str(PROGRAM), "provision", "--yes", "--trust", "workstation.toml")
            yield found
    finally:
        subprocess.run(["pkill", "-KILL", "-u", USER], check=False)
        subprocess.run(["userdel", USER], check=False, capture_output=True)
        shutil.rmtree(room, ignore_errors=True)


ASKS = "kelp --version"
WRITES = "kelp --version >answer; echo end >>answer"


def copied(place: Place, what: str) -> str:
    """A file that was brought there and back again, unharmed, by a program that speaks through ssh."""
    config, room = str(place.fleet.config), place.fleet.folder / "copies"
    shutil.rmtree(room, ignore_errors=True)
    (room / "tides").mkdir(parents=True)
    content = bytes(range(256)) * 64
    (room / "tides/levels").write_bytes(content)
    shell = f"ssh -F {config}"
    there, back = str(place.home / "levels"), str(room / "back")
    Path(there).unlink(missing_ok=True)
    if what == "scp":
        run(["scp", "-F", config, str(room / "tides/levels"), "quay:levels"])
        run(["scp", "-O", "-F", config, "quay:levels", back])
    elif what == "sftp":
        run(["sftp", "-F", config, "quay"], f"put {room}/tides/levels levels\nget levels {back}\n")
    elif what == "rsync":
        run(["rsync", "-e", shell, str(room / "tides/levels"), "quay:levels"])
        run(["rsync", "-e", shell, "quay:levels", back])
    else:
        store = place.home / "tides.git"
        shutil.rmtree(store, ignore_errors=True)
        place.by("git", "init", "-q", "--bare", "tides.git")
        author = ["-c", "user.name=Tide", "-c", "user.email=tide@desk.example"]
        git = ["git", "-C", str(room / "tides"), *author, "-c", f"core.sshCommand={shell}"]
        for words in (
            ["init", "-q"],
            ["add", "."],
            ["commit", "-qm", "levels"],
            ["push", "-q", "quay:tides.git", "HEAD:refs/heads/main"],
        ):
            run([*git, *words])
        run(
            [
                "git",
                "-c",
                f"core.sshCommand={shell}",
                "clone",
                "-q",
                "-b",
                "main",
                "quay:tides.git",
                str(room / "clone"),
            ]
        )
        back = str(room / "clone/levels")
    return "works" if Path(back).is_file() and Path(back).read_bytes() == content else "broken"


def start(place: Place, what: str) -> str:
    """What comes of a start of the table."""
    if what == "`ssh host`":
        return place.ssh("-tt", "quay", lines=f"{ASKS}\nexit\n")
    if what == "`ssh host kelp`":
        return place.ssh("quay", ASKS)
    if what == "`ssh host 'sh -lc kelp'`":
        return place.ssh("quay", f"sh -lc '{ASKS}'")
    if what == "`su - user`":
        return run(["su", "-", USER, "-c", ASKS])
    if what == "`sudo -i -u user`":
        return run(["sudo", "-i", "-u", USER, *ASKS.split()])
    if what == "tmux":
        server = ["tmux", "-L", f"tide-{time.monotonic_ns()}"]  # the last one may be on its way out yet
        place.by(*server, "new-session", "-d", "-x", "90", "-y", "20")
        place.by(*server, "send-keys", WRITES, "Enter")
        found = place.answered()
        place.by(*server, "kill-server")
        return found
    if what == "screen":
        place.by("screen", "-dmS", "tide")
        time.sleep(1)
        place.by("screen", "-S", "tide", "-p", "0", "-X", "stuff", f"{WRITES}\n")
        found = place.answered()
        place.by("screen", "-S", "tide", "-X", "quit")
        return found
    if what == "`at now`, typed in a login":
        with subprocess.Popen([PROGRAMS["atd"], "-f", "-b", "1"], stderr=subprocess.DEVNULL) as daemon:
            place.ssh("-tt", "quay", lines=f"echo '{WRITES}' | at now\nexit\n")
            found = place.answered()
            daemon.terminate()
        return found
    if what.startswith("`$SHELL -ic"):
        return place.ssh("quay", "exec sh -s", lines=f'exec "$SHELL" -i -c "{ASKS}"\n')
    return copied(place, what)


@pytest.mark.parametrize("shell", SHELLS)
@pytest.mark.parametrize("what", list(table()))
def test_each_start_is_as_the_table_says(place: Place, what: str, shell: str) -> None:
    place.login_shell(shell)
    answer = start(place, what)
    found = answer if answer in ("works", "broken") else "new" if re.search(r"kelp \d", answer) else "no"
    assert found == table()[what][shell]
