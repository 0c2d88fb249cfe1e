"""The rows of the table."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from measure import Result, peak_megabytes, seconds, side_by_side

from zesty_anchor.demo.host import Host
from zesty_anchor.demo.wares import pack, write_index, write_runtime
from zesty_anchor.system.host import host, login_path

PYTHON = str(Path(sys.executable))
PROGRAM = [PYTHON, str(Path(sys.executable).with_name("zesty-anchor"))]
CLICK = [PYTHON, "-c", "import click"]


@contextmanager
def room() -> Iterator[Path]:
    with tempfile.TemporaryDirectory(prefix="zesty-anchor-bench-") as name:
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
            files = {f"bin/{name}": (f"#!/bin/sh\necho {name} 1.2.0\n".encode(), 0o755)}
            write_runtime(
                feed, name, [("1.2.0", "2026-01-01", (), "any", f"{name}.tar.gz", pack(name, files, "tar.gz"))]
            )
        write_index(feed, names)
        manifest = home / "workstation.toml"
        with Host(feed) as serving:
            text = f'as-root = "allowed"\n[feeds.harbour]\nkind = "index"\nurl = "{serving.url}"\n'
            for name in names:
                text += f'[recipes.{name}]\ncommands = ["{name}"]\n[recipes.{name}.version]\nrun = "{name}"\n'
                text += f'[runtimes.{name}]\nwant = "latest"\n'
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
                lambda: seconds(ours, environment), lambda: seconds(theirs, environment, str(place)), rounds=7
            )
            size = tarball.stat().st_size / 1e6
            yield Result(
                "install Node's tarball: fetch, check, unpack",
                "`curl`, then `sha512sum`, then `tar`",
                mine / other,
                1.2,
                note=f"{size:.0f} MB from loopback",
            )
            yield Result("its peak memory", "", peak_megabytes(ours, environment), 120, "MB")


def fetch_node(folder: Path) -> Path | None:
    """Node's tarball for this machine, from the registry that the user's npm configuration names."""
    from zesty_anchor.feeds.npm import NpmFeed, registry_address
    from zesty_anchor.feeds.web import WebBody, session
    from zesty_anchor.manifest.read import read_recipe
    from zesty_anchor.manifest.want import Want
    from zesty_anchor.problem import Problem
    from zesty_anchor.recipes import SHIPPED

    source = read_recipe(SHIPPED / "node.toml").feed
    assert source is not None
    web = session()
    try:
        feed = NpmFeed("npm", registry_address(os.environ, Path.home()), web)
        release = Want("24").choose(feed.releases(source.packages[host().platform], host().platform))
        assert release is not None
        body = WebBody(web, release.url, "the npm registry")
        with (folder / "node.tgz").open("wb") as out:
            for chunk in body.chunks(1 << 20):
                out.write(chunk)
    except Problem as problem:
        print(f"| ({problem}) | | | | |")
        return None
    return folder / "node.tgz"


def shell_start() -> Iterator[Result]:
    with provisioned(3) as (home, _):
        bare = home / "bare"
        bare.mkdir()
        for name, file in (("bash", ".bashrc"), ("zsh", ".zshrc")):
            program = shutil.which(name, path=login_path())
            if program is None:
                print(f"| interactive {name}: left out, it is not installed | | | | |")
                continue
            (bare / file).write_text("")
            hooked, empty = plain_environment(home), plain_environment(bare)
            command = [program, "-i", "-c", ":"]
            ours, without = side_by_side(
                lambda c=command, e=hooked: seconds(c, e), lambda c=command, e=empty: seconds(c, e), rounds=151
            )
            yield Result(
                f"interactive {name} starts: time added by the hook",
                "an empty startup file",
                (ours - without) * 1000,
                1,
                "ms",
            )
            extra = processes(command, hooked) - processes(command, empty)
            yield Result(
                f"interactive {name} starts: processes added by the hook (strace)",
                "an empty startup file",
                extra,
                0,
                "processes",
            )


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


ROWS = (version, nothing_to_do, node_tarball, shell_start)
