"""What tests share: a home of their own, a feed on loopback, and the built program."""

from __future__ import annotations

import fcntl
import json
import os
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import pytest

from tests.ready import Ready
from zesty_anchor.demo.home import likeness
from zesty_anchor.demo.host import Host
from zesty_anchor.demo.wares import KELP, pack, stock_feed, write_index, write_runtime
from zesty_anchor.survey import machine
from zesty_anchor.system.host import login_path
from zesty_anchor.testing import bench_in  # noqa: F401

if signal.getsignal(signal.SIGINT) is signal.SIG_IGN:
    # A shell starts what is to run in the background so, and the programs that are tested would let Ctrl-C go
    # by as well.
    signal.signal(signal.SIGINT, signal.default_int_handler)

PROGRAM = Path(sys.executable).with_name("zesty-anchor")
PROGRAMS = {
    name: path
    for name in (
        "bash",
        "zsh",
        "fish",
        "dash",
        "ksh",
        "mksh",
        "tcsh",
        "gcc",
        "make",
        "git",
        "gpg",
        "setpriv",
        "tmux",
        "screen",
        "at",
        "atd",
        "rsync",
        "unshare",
        "ntfs-3g",
        "mkfs.ntfs",
        "strace",
        "openssl",
        "ssh",
        "sshd",
        "systemctl",
        "sudo",
        "crontab",
        "dnf",
        "zypper",
        "rpmbuild",
        "createrepo_c",
        "chromium",
        "pacman",
    )
    if (path := shutil.which(name, path=f"{login_path()}:/usr/sbin:/sbin"))
}
SHELLS = PROGRAMS
USER_GENERATOR = next((file for file in machine.USER_GENERATORS if file.is_file()), None)
HELD_BACK = os.environ.get("ZESTY_ANCHOR_HELD_BACK", "").split()
"""Programs that scripts/test found missing and could not install: their tests are skipped, and say so."""
KELP_SOURCE = (Path(__file__).parents[1] / "src/zesty_anchor/demo/sources/kelp.sh").read_text()


READY: list[Ready] = []
"""The program, ready to run; none where each run is to be a start (ZESTY_ANCHOR_TESTS=started)."""


@pytest.fixture(scope="session", autouse=True)
def ready() -> Iterator[None]:
    if os.environ.get("ZESTY_ANCHOR_TESTS") == "started":
        yield
        return
    READY.append(Ready(PROGRAM))
    yield
    READY.pop().close()


def pytest_report_header() -> str:
    held = f"; held back: {', '.join(HELD_BACK)}" if HELD_BACK else ""
    return f"programs: {', '.join(PROGRAMS)}{held}"


@pytest.hookimpl(tryfirst=True)
def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Where tests are shared out to several workers, one has all those that change the system, and begins
    with them. Those that look at what changes come last: they wait for none then.
    """
    for item in items:
        if item.get_closest_marker("system"):
            item.add_marker(pytest.mark.xdist_group("system"))
    items.sort(key=lambda item: 0 if item.get_closest_marker("system") else 2 if _sees(item) else 1)


def _sees(item: pytest.Item) -> bool:
    return item.get_closest_marker("sees_system") is not None


@pytest.fixture(autouse=True)
def alone_on_the_system(request: pytest.FixtureRequest) -> Iterator[None]:
    """What changes the system has it alone, also where the tests run twice at once; those that look at it may
    be several.
    """
    changes = request.node.get_closest_marker("system") is not None
    if not changes and not _sees(request.node):
        yield
        return
    if changes and "PYTEST_XDIST_WORKER" in os.environ:
        assert request.node.nodeid.endswith("@system"), (
            "the group is not kept together: workers wait for each other"
        )
    lock = _the_lock()
    try:
        fcntl.flock(lock, fcntl.LOCK_EX if changes else fcntl.LOCK_SH)
        yield
    finally:
        os.close(lock)


def _the_lock() -> int:
    """The one file that all runs on this machine lock, whoever made it and wherever their temporary folders
    are.
    """
    file = "/tmp/zesty-anchor-tests.lock"
    try:
        return os.open(file, os.O_RDONLY | os.O_CLOEXEC)
    except FileNotFoundError:
        return os.open(file, os.O_RDONLY | os.O_CREAT | os.O_CLOEXEC, 0o644)


def pytest_runtest_setup(item: pytest.Item) -> None:
    """A test that needs a program fails without it, unless scripts/test has named it as held back."""
    for marker in item.iter_markers("needs"):
        for name in marker.args:
            if name not in PROGRAMS:
                (pytest.skip if name in HELD_BACK else pytest.fail)(f"{name} is not installed")


def until(well: Callable[[], bool], seconds: float = 30.0) -> bool:
    """Wait until it is so, a moment at a time. Returns whether it came to that."""
    end = time.monotonic() + seconds
    while not well():
        if time.monotonic() > end:
            return False
        time.sleep(0.01)
    return True


@dataclass
class Answer:
    code: int
    out: str
    err: str

    @property
    def json(self) -> Any:
        return json.loads(self.out)


@dataclass
class Desk:
    """A home with a manifest in it, and the program run there."""

    home: Path
    url: str
    environment: dict[str, str] = field(default_factory=dict)

    @property
    def manifest(self) -> Path:
        return self.home / "workstation.toml"

    @property
    def shelf(self) -> Path:
        return self.home / ".local/share/zesty-anchor/shelf"

    def write(self, text: str, name: str = "workstation.toml") -> Path:
        file = self.home / name
        file.parent.mkdir(parents=True, exist_ok=True)
        file.write_text(text, "utf-8")
        return file

    def wants(
        self, more: str = "", runtimes: str = '[runtimes.kelp]\nwant = "lts"\n', url: str | None = None
    ) -> None:
        """Write a manifest that takes kelp from the feed."""
        feed = f'as-root = "allowed"\n[feeds.harbour]\nkind = "index"\nurl = "{url or self.url}"\n'
        recipe = (
            '[recipes.kelp]\ncommands = ["kelp"]\n[recipes.kelp.version]\nrun = "kelp --version"\nexpect ='
            ' "kelp {version}"\n'
        )
        # Two shells are enough where a test is not about them.
        two = [name for name in ("bash", "zsh") if name in PROGRAMS]
        shells = "" if "[shells]" in more else f"[shells]\nuse = {json.dumps(two)}\n"
        self.write(feed + shells + recipe + runtimes + more)

    def run(self, *words: str, **more: Any) -> Answer:
        environment = {
            "HOME": str(self.home),
            "PATH": login_path(),
            "LANG": "C.UTF-8",
            "TMPDIR": tempfile.gettempdir(),
            **self.environment,
        }
        if READY and not more.keys() - {"cwd"} and environment["LANG"] == "C.UTF-8":
            done = READY[0].run([*words], environment, more.get("cwd", self.home), 120)
        else:
            done = subprocess.run(
                [str(PROGRAM), *words],
                env=environment,
                capture_output=True,
                text=True,
                stdin=subprocess.DEVNULL,
                timeout=120,
                check=False,
                **{"cwd": self.home, **more},
            )
        return Answer(done.returncode, done.stdout, done.stderr)

    def well(self, *words: str) -> Answer:
        answer = self.run(*words)
        assert answer.code == 0, answer.out + answer.err
        return answer

    def shell(self, name: str, script: str, *options: str) -> str:
        """What a new shell prints."""
        done = subprocess.run(
            [SHELLS[name], *options, "-c", script],
            cwd=self.home,
            capture_output=True,
            text=True,
            env={"HOME": str(self.home), "PATH": login_path(), "LANG": "C.UTF-8"},
            stdin=subprocess.DEVNULL,
            check=False,
        )
        return done.stdout

    def likeness(self) -> dict[str, tuple[str, str]]:
        """Everything in the home but the program's own state and its cache."""
        return likeness(self.home, (".local/state/zesty-anchor", ".cache"))


def processes_of(home: Path) -> list[str]:
    """The command lines of the processes that were started in a home."""
    found = []
    for process in Path("/proc").glob("[0-9]*"):
        try:
            if f"HOME={home}\0".encode() in (process / "environ").read_bytes():
                found.append((process / "cmdline").read_text().replace("\0", " "))
        except OSError:
            continue
    return [each for each in found if "ready.py" not in each]


def packed_runtime(name: str, version: str, says: str = "") -> bytes:
    """An archive of a runtime with one command, which prints its name and version, or what it ``says``
    instead.
    """
    text = f"#!/bin/sh\necho {name} {says or version}\n".encode()
    return pack(f"{name}-{version}", {f"bin/{name}": (text, 0o755)}, "tar.gz")


@pytest.fixture(scope="session")
def harbour(tmp_path_factory: pytest.TempPathFactory) -> Iterator[str]:
    """The address of the demo's feed."""
    folder = tmp_path_factory.mktemp("harbour")
    stock_feed(folder)
    with Host(folder) as serving:
        yield serving.url


@pytest.fixture(scope="session")
def kelp_feed(tmp_path_factory: pytest.TempPathFactory) -> Iterator[str]:
    """A feed with the demo's kelp in every kind of archive."""
    folder = tmp_path_factory.mktemp("feed")
    write_runtime(
        folder,
        "kelp",
        [
            (
                version,
                date,
                channels,
                "any",
                f"kelp-{version}.{kind}",
                pack(f"kelp-{version}", kelp(version), kind),
            )
            for version, date, channels, kind in KELP
        ],
    )
    write_index(folder, ["kelp"])
    with Host(folder) as serving:
        yield serving.url


def kelp(version: str) -> dict[str, tuple[bytes, int]]:
    return {"bin/kelp": (KELP_SOURCE.replace("@VERSION@", version).encode(), 0o755)}


@pytest.fixture
def desk(tmp_path: Path, kelp_feed: str) -> Desk:
    home = tmp_path / "home"
    home.mkdir()
    return Desk(home, kelp_feed)


@pytest.fixture
def open_room() -> Iterator[Path]:
    """A folder that every user may enter. Pytest closes its own ones to others, each time that it starts
    anywhere.
    """
    with tempfile.TemporaryDirectory(prefix="tide-") as name:
        os.chmod(name, 0o755)
        yield Path(name)


@pytest.fixture
def make_feed(tmp_path: Path) -> Iterator[Callable[..., str]]:
    """Serves a folder of the test's own: ``make_feed(files)`` gives the address."""
    hosts: list[Host] = []

    def made(files: dict[str, bytes]) -> str:
        folder = tmp_path / f"feed{len(hosts)}"
        folder.mkdir()
        for name, content in files.items():
            (folder / name).parent.mkdir(parents=True, exist_ok=True)
            (folder / name).write_bytes(content)
            os.utime(
                folder / name, (1e9, 1e9)
            )  # of long ago: what is younger than a second may change once more
        hosts.append(Host(folder).__enter__())
        return hosts[-1].url

    yield made
    for host in hosts:
        host.__exit__()


@pytest.fixture
def offer(make_feed: Callable[..., str]) -> Callable[..., str]:
    """A feed that offers one kelp in a given archive: ``offer(content, digest=…)`` gives its address."""
    import hashlib

    def offered(content: bytes, digest: str | None = None, name: str = "kelp-4.2.1.tgz") -> str:
        file = {"platform": "any", "url": name, "sha256": digest or hashlib.sha256(content).hexdigest()}
        release = {"version": "4.2.1", "channels": ["lts"], "files": [file]}
        document = {"format": "zesty-anchor-index/1", "runtime": "kelp", "releases": [release]}
        index = {"format": "zesty-anchor-index/1", "runtimes": ["kelp"]}
        return make_feed(
            {
                name: content,
                "kelp.json": json.dumps(document).encode(),
                "index.json": json.dumps(index).encode(),
            }
        )

    return offered


def is_root() -> bool:
    return os.geteuid() == 0


ORDINARY = 4242
"""A user of no other right than their own. nobody(65534) would not do: in a user namespace, strangers look
like that one.
"""


@pytest.fixture
def ordinary(desk: Desk) -> Iterator[Callable[..., Answer]]:
    """Runs the program, or another one, as a user for whom permissions count."""

    def run(*words: str, program: str = str(PROGRAM), keeps: tuple[Path, ...] = ()) -> Answer:
        """``keeps`` are paths that stay as they are; any other becomes theirs."""
        drop: list[str] = []
        if os.geteuid() == 0:
            for path in (desk.home, *desk.home.rglob("*")):
                if not any(path.is_relative_to(each) for each in keeps):
                    os.lchown(path, ORDINARY, ORDINARY)
            drop = ["setpriv", f"--reuid={ORDINARY}", f"--regid={ORDINARY}", "--clear-groups"]
        done = subprocess.run(
            [*drop, program, *words], cwd=desk.home, capture_output=True, text=True,
            stdin=subprocess.DEVNULL, timeout=120,
            env={"HOME": str(desk.home), "PATH": login_path(), "LANG": "C.UTF-8", "USER": "tide"},
            check=False,
        )  # fmt: skip
        return Answer(done.returncode, done.stdout, done.stderr)

    for path in desk.home.parents:
        # They stay so: other tests may be at work below the same ones.
        if os.geteuid() == 0 and not path.stat().st_mode & 0o001:
            path.chmod(0o711)
    yield run
    for path in (desk.home, *(p for p in desk.home.rglob("*") if not p.is_symlink())):
        if path.is_dir():
            path.chmod(0o755)
