"""The rows of the table."""

from __future__ import annotations

import functools
import hashlib
import http.server
import json
import os
import shutil
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from measure import Result, peak_megabytes, seconds, side_by_side

from zesty_anchor.demo.home import furnish
from zesty_anchor.demo.host import Host
from zesty_anchor.demo.wares import pack, write_index, write_runtime
from zesty_anchor.system.host import host, login_path

PYTHON = str(Path(sys.executable))
PROGRAM = [PYTHON, str(Path(sys.executable).with_name("zesty-anchor"))]
CLICK = [PYTHON, "-c", "import click"]


@contextmanager
def room() -> Iterator[Path]:
    with tempfile.TemporaryDirectory(prefix="tide-") as name:
        yield Path(name)


def plain_environment(home: Path) -> dict[str, str]:
    return {"HOME": str(home), "PATH": login_path(), "LANG": "C.UTF-8", "TERM": "dumb"}


def version() -> Iterator[Result]:
    with room() as home:
        environment = plain_environment(home)
        ours, click = side_by_side(
            lambda: seconds([*PROGRAM, "--version"], environment), lambda: seconds(CLICK, environment), rounds=25
        )
    yield Result("`zesty-anchor --version`", '`python -c "import click"`', ours / click, 1.6)


def nothing_to_do() -> Iterator[Result]:
    with provisioned(20) as (home, manifest):
        environment = plain_environment(home)
        command = [*PROGRAM, "provision", "-m", str(manifest)]
        ours, click = side_by_side(
            lambda: seconds(command, environment), lambda: seconds(CLICK, environment), rounds=25
        )
    yield Result("`provision`, nothing to do, 20 runtimes", '`python -c "import click"`', ours / click, 4)


@contextmanager
def provisioned(count: int) -> Iterator[tuple[Path, Path]]:
    """A home with ``count`` small runtimes on the shelf, and its manifest."""
    with room() as home:
        feed = home / "feed"
        feed.mkdir()
        names = [f"gauge{number:02}" for number in range(count)]
        for name in names:
            releases = []
            for version in ("1.2.0", "1.1.0"):
                files = {f"bin/{name}": (f"#!/bin/sh\necho {name} {version}\n".encode(), 0o755)}
                file = f"{name}-{version}.tar.gz"
                releases.append((version, "2026-01-01", (), "any", file, pack(name, files, "tar.gz")))
            write_runtime(feed, name, releases)
        write_index(feed, names)
        manifest = home / "desk/workstation.toml"
        manifest.parent.mkdir()
        with Host(feed) as serving:
            text = f'as-root = "allowed"\n[feeds.harbour]\nkind = "index"\nurl = "{serving.url}"\n'
            for name in names:
                text += f'[recipes.{name}]\ncommands = ["{name}"]\n[recipes.{name}.version]\nrun = "{name}"\n'
                text += f'[runtimes.{name}]\nwant = "latest"\n' + ('also = ["1.1"]\n' if name == names[0] else "")
            manifest.write_text(text)
            seconds([*PROGRAM, "provision", "-m", str(manifest)], plain_environment(home))
        yield home, manifest


def node_tarball() -> Iterator[Result]:
    with room() as place:
        tarball = fetch_node(place)
        if tarball is None:
            print("| Node's tarball: left out, no npm registry is reachable | | | | |")
            return
        with Host(place) as serving:
            url = serving.url + tarball.name
            digest = subprocess.run(
                ["sha512sum", str(tarball)], capture_output=True, text=True, check=True
            ).stdout.split()[0]
            ours = [
                PYTHON,
                str(Path(__file__).with_name("install_once.py")),
                url,
                f"sha512:{digest}",
                str(place / "ours"),
            ]
            theirs = [
                "sh",
                "-ec",
                f"""
                rm -rf theirs; mkdir -p theirs/out; cd theirs
                curl -sSo node.tgz {url}
                echo '{digest}  node.tgz' | sha512sum -c --quiet
                tar -xzf node.tgz -C out""",
            ]
            environment = plain_environment(place)
            mine, other = side_by_side(
                lambda: seconds(ours, environment, without=place / "ours"),
                lambda: seconds(theirs, environment, str(place), without=place / "theirs"),
                rounds=7,
            )
            size = tarball.stat().st_size / 1e6
            yield Result(
                "install Node's tarball: fetch, check, unpack",
                "`curl`, then `sha512sum`, then `tar`",
                mine / other,
                1.2,
                note=f"{size:.0f} MB from loopback",
            )
            shutil.rmtree(place / "ours")
            yield Result("its peak memory", "–", peak_megabytes(ours, environment), 120, "MB")


def fetch_node(folder: Path) -> Path | None:
    """Node's tarball for this machine, from the registry that the user's npm configuration names."""
    from zesty_anchor.feeds.documents import Web
    from zesty_anchor.feeds.npm import NpmFeed, registry_address
    from zesty_anchor.feeds.web import WebBody
    from zesty_anchor.manifest.read import read_recipe
    from zesty_anchor.manifest.want import Want
    from zesty_anchor.recipes import SHIPPED
    from zesty_anchor.system.problem import Problem

    source = read_recipe(SHIPPED / "node.toml").feed
    assert source is not None
    web = Web()
    try:
        feed = NpmFeed("npm", registry_address(os.environ, Path.home()), web)
        release = Want("24").choose(feed.releases(source.packages[host().platform], host().platform))
        assert release is not None
        body = WebBody(web.session, release.url, "the npm registry")
        with (folder / "node.tgz").open("wb") as out:
            for chunk in body.chunks(1 << 20):
                out.write(chunk)
    except Problem as problem:
        print(f"| ({problem}) | | | | |")
        return None
    return folder / "node.tgz"


FOLLOWING = {"bash": ".bashrc", "zsh": ".zshrc", "fish": ".config/fish/config.fish", "ksh": ".kshrc", "mksh": ".mkshrc"}
"""The shells that follow the current folder, and the startup file of an interactive one."""


@contextmanager
def followed() -> Iterator[tuple[Path, Path, dict[str, str]]]:
    """A home with four runtimes and a project that pins one of them, a home with empty startup files, and the shells."""
    with provisioned(4) as (home, _):
        bare = home / "bare"
        shells = {name: path for name in FOLLOWING if (path := shutil.which(name, path=login_path()))}
        for name in FOLLOWING.keys() - shells.keys():
            print(f"| {name}: left out, it is not installed | | | | |")
        for folder in (home, bare):
            (folder / "project").mkdir(parents=True)
            for file in FOLLOWING.values():
                (folder / file).parent.mkdir(parents=True, exist_ok=True)
                (folder / file).touch()
        (home / "project/.gauge00-version").write_text("1.1\n")
        yield home, bare, shells


def shell_start() -> Iterator[Result]:
    with followed() as (home, bare, shells):
        for name, program in shells.items():
            hooked, empty = plain_environment(home), plain_environment(bare)
            command = [program, "-i", "-c", ":"]
            ours, without = side_by_side(
                lambda c=command, e=hooked: seconds(c, e), lambda c=command, e=empty: seconds(c, e), rounds=151
            )
            added = (ours - without) * 1000
            yield Result(f"interactive {name} starts: time added by the hook", "an empty startup file", added, 1, "ms")
            extra = processes(command, hooked) - processes(command, empty)
            what = f"interactive {name} starts: processes added by the hook (strace)"
            yield Result(what, "an empty startup file", extra, 0, "processes")


def shell_folders() -> Iterator[Result]:
    """Loops of many rounds in one shell, with what we do and without, side by side."""
    rounds = 400
    with followed() as (home, bare, shells):
        for name, program in shells.items():
            hooked, empty = plain_environment(home), plain_environment(bare)
            empty_call = "function za_empty; end; " if name == "fish" else "za_empty() { :; }; "
            begin = f"{empty_call}za__prompt; cd project; cd ..; "
            for where, enter in (("an ordinary folder", ""), ("a pinned folder", "cd project; ")):
                commands = ("za__prompt", ":", "za_empty")
                loops = [_loop(name, rounds * 5, f"{begin}{enter}", command) for command in commands]
                ours, without, call = side_by_side(
                    *(
                        lambda c=loop, p=program, e=hooked, h=home: seconds([p, "-i", "-c", c], e, str(h))
                        for loop in loops
                    ),
                    rounds=15,
                )
                added, least = ((took - without) / (rounds * 5) * 1e6 for took in (ours, call))
                note = f"of them {least:.1f} for the call of a function"
                yield Result(f"{name}: a prompt in {where}", "`:`", added, 20, "us", note)
            loop = _loop(name, rounds, "", "cd project; cd ..")
            ours, without = side_by_side(
                lambda p=program, c=loop, e=hooked: seconds([p, "-i", "-c", c], e, str(home)),
                lambda p=program, c=loop, e=empty: seconds([p, "-i", "-c", c], e, str(bare)),
                rounds=15,
            )
            added = (ours - without) / (rounds * 2) * 1e6
            yield Result(f"{name}: entering a pinned folder, or leaving it", "`cd` alone", added, 300, "us")


def _loop(shell: str, rounds: int, before: str, command: str) -> str:
    if shell == "fish":
        return f"{before}for i in (seq {rounds}); {command}; end; true"
    return f"{before}i=0; while [ $i -lt {rounds} ]; do {command}; i=$((i+1)); done"


def launcher() -> Iterator[Result]:
    with provisioned(4) as (home, _):
        deep = home / "/".join("abcdefgh")
        deep.mkdir(parents=True)
        environment = plain_environment(home)
        launchers = home / ".local/share/zesty-anchor/bin"
        direct = home / ".local/share/zesty-anchor/shelf/gauge00/1.2.0/bin/gauge00"
        seconds([str(launchers / "gauge00")], environment, str(deep))
        ours, without = side_by_side(
            lambda: seconds([str(launchers / "gauge00")], environment, str(deep)),
            lambda: seconds([str(direct)], environment, str(deep)),
            rounds=301,
        )
    yield Result("a launcher, eight folders deep", "the command itself", (ours - without) * 1000, 1.5, "ms")


def processes(command: list[str], environment: dict[str, str]) -> int:
    """How many processes a command makes, counted by strace."""
    strace = shutil.which("strace")
    if strace is None:
        raise SystemExit("strace is missing: apt-get install strace")
    with tempfile.NamedTemporaryFile("r") as trace:
        subprocess.run(
            [strace, "-f", "-qq", "-e", "trace=clone,clone3,fork,vfork,execve", "-o", trace.name, *command],
            env=environment,
            check=True,
            stdin=subprocess.DEVNULL,
            capture_output=True,
        )
        return sum("= -1" not in line and "(" in line for line in trace)


def many_files() -> Iterator[Result]:
    """Installing (fetching, digesting and unpacking) against unpacking alone by the system's own tool."""
    files = {
        f"d{i % 100}/s{i % 7}/f{i}.txt": (b"high water, low water %d " % i * (i % 400 + 10), 0o644)
        for i in range(10_000)
    }
    for kind, tool, bar in (("zip", "unzip -q {} -d out", 1.0), ("tar.gz", "mkdir out && tar -xzf {} -C out", 1.1)):
        if shutil.which(tool.split()[0]) is None and kind == "zip":
            print("| a zip of 10,000 files: left out, unzip is not installed | | | | |")
            continue
        with room() as place:
            archive = place / f"many.{kind}"
            archive.write_bytes(pack("many", files, kind))
            digest = "sha256:" + hashlib.sha256(archive.read_bytes()).hexdigest()
            environment = plain_environment(place)
            with Host(place) as serving:
                url = serving.url + archive.name
                ours = [PYTHON, str(Path(__file__).with_name("install_once.py")), url, digest, str(place / "ours")]
                theirs = ["sh", "-ec", tool.format(archive.name)]
                mine, other = side_by_side(
                    lambda c=ours, e=environment, p=place: seconds(c, e, without=p / "ours"),
                    lambda c=theirs, e=environment, p=place: seconds(c, e, str(p), without=p / "out"),
                    rounds=5,
                )
            name = f"install a {kind} of 10,000 files: fetch, check, unpack"
            yield Result(name, f"`{tool.split(' {')[0].split('&& ')[-1]}` alone", mine / other, bar)


def large_archive() -> Iterator[Result]:
    with room() as place:
        archive = place / "large.tar.gz"
        noise = os.urandom(1 << 20)
        archive.write_bytes(pack("large", {f"part{i}": (noise * 30, 0o644) for i in range(10)}, "tar.gz"))
        digest = "sha256:" + hashlib.sha256(archive.read_bytes()).hexdigest()
        with Host(place) as serving:
            script = str(Path(__file__).with_name("install_once.py"))
            command = [PYTHON, script, serving.url + archive.name, digest, str(place / "ours")]
            peak = peak_megabytes(command, plain_environment(place))
        size = archive.stat().st_size / 1e6
    yield Result("peak memory of installing a large archive", "–", peak, 120, "MB", f"{size:.0f} MB")


def crowded_survey() -> Iterator[Result]:
    """The demo's home, with every shell that is installed: each is started in each of its ways."""
    with room() as home:
        furnish(home, "http://127.0.0.1:9/", with_c=True)
        environment = plain_environment(home)
        seconds([*PROGRAM, "survey"], environment, str(home))
        took = sorted(seconds([*PROGRAM, "survey"], environment, str(home)) for _ in range(5))[2]
    yield Result("`survey` of a home that people have lived in", "–", took, 3, "s")


def long_list() -> Iterator[Result]:
    with room() as home:
        releases = [
            {
                "version": f"{a}.{b}.{c}",
                "date": "2026-01-01",
                "files": [{"platform": "any", "url": "x", "sha256": "0" * 64}],
            }
            for a in range(7)
            for b in range(10)
            for c in range(10)
        ]
        document = {"format": "zesty-anchor-index/1", "runtime": "kelp", "releases": releases}
        (home / "kelp.json").write_text(json.dumps(document))
        environment = plain_environment(home)
        manifest = home / "workstation.toml"
        command = [*PROGRAM, "list", "kelp", "-m", str(manifest)]
        with Host(home) as serving:
            manifest.write_text(
                f'[feeds.harbour]\nkind = "index"\nurl = "{serving.url}"\n'
                '[recipes.kelp]\ncommands = ["kelp"]\n[runtimes.kelp]\nwant = "latest"\n'
            )
            seconds(command, environment)
        ours, click = side_by_side(
            lambda: seconds([*command, "--offline"], environment), lambda: seconds(CLICK, environment), rounds=25
        )
    yield Result("`list` of 700 versions, from what was answered before", '`python -c "import click"`', ours / click, 4)


DOWNLOADS, BUILDS, SLOTS, RATE = 12, 4, 4, 2_000_000
SIZE, BUILD_SECONDS = 4_000_000, 4.0


class Metered(http.server.SimpleHTTPRequestHandler):
    """Gives each connection two megabytes a second."""

    def copyfile(self, source: Any, outputfile: Any) -> None:
        began, given = time.monotonic(), 0
        while chunk := source.read(RATE // 50):
            outputfile.write(chunk)
            given += len(chunk)
            time.sleep(max(0.0, given / RATE - (time.monotonic() - began)))

    def log_message(self, format: str, *args: object) -> None:
        pass


def overlap() -> Iterator[Result]:
    """Every download and every build takes one of the slots for a known time: their sum over the slots is the bound."""
    with room() as home:
        feed = home / "feed"
        feed.mkdir()
        text = 'as-root = "allowed"\n[shells]\nuse = ["bash"]\n'
        recipes = ""
        for number in range(DOWNLOADS):
            name, source = f"gauge{number:02}", number < BUILDS
            files = {f"bin/{name}": (f"#!/bin/sh\necho {name}\n".encode(), 0o755), "ballast": (os.urandom(SIZE), 0o644)}
            content = pack(name, files, "tar.gz")
            write_runtime(
                feed, name, [("1.0", "2026-01-01", (), "source" if source else "any", f"{name}.tgz", content)]
            )
            recipes += f'[recipes.{name}]\ncommands = ["{name}"]\n[runtimes.{name}]\nwant = "latest"\n'
            if source:
                recipes += f"[recipes.{name}.build]\nsteps = ['sleep {BUILD_SECONDS}', 'cp -R bin \"$OUT\"']\n"
        write_index(feed, [f"gauge{n:02}" for n in range(DOWNLOADS)])
        server = http.server.ThreadingHTTPServer(("127.0.0.1", 0), functools.partial(Metered, directory=str(feed)))
        threading.Thread(target=server.serve_forever, daemon=True).start()
        address = f"http://127.0.0.1:{server.server_address[1]}/"
        (home / "workstation.toml").write_text(f'{text}[feeds.harbour]\nkind = "index"\nurl = "{address}"\n{recipes}')
        size = (feed / "gauge00.tgz").stat().st_size
        bound = (DOWNLOADS * size / RATE + BUILDS * BUILD_SECONDS) / SLOTS
        took = seconds([*PROGRAM, "provision", "-j", str(SLOTS)], plain_environment(home), str(home))
        server.shutdown()
    yield Result(
        f"{DOWNLOADS} downloads at 2 MB/s each and {BUILDS} builds, `-j {SLOTS}`",
        f"the lower bound, {bound:.1f} s",
        took / bound,
        1.15,
    )


ROWS = (
    version,
    nothing_to_do,
    node_tarball,
    many_files,
    large_archive,
    overlap,
    long_list,
    crowded_survey,
    shell_start,
    shell_folders,
    launcher,
)
