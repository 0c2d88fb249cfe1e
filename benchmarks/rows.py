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
    yield Result("`provision`, nothing to do, 20 runtimes", '`python -c "import click"`', ours / click, 2.2)


provisioned_in: dict[Path, float] = {}
"""The seconds that it took to provision each home."""


@contextmanager
def provisioned(count: int, *, also: bool = False) -> Iterator[tuple[Path, Path]]:
    """A home with ``count`` small runtimes on the shelf, and its manifest; with ``also`` two versions of each."""
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
                text += f'[runtimes.{name}]\nwant = "latest"\n' + (
                    'also = ["1.1"]\n' if also or name == names[0] else ""
                )
            manifest.write_text(text)
            provisioned_in[home] = seconds([*PROGRAM, "provision", "-m", str(manifest)], plain_environment(home))
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
    """A start against that of a shell whose startup file reads an empty file, as ours must be read in any case."""
    with followed() as (home, bare, shells):
        for name, program in shells.items():
            (bare / "empty").touch()
            (bare / FOLLOWING[name]).write_text(f"{'source' if name == 'fish' else '.'} {bare}/empty\n")
            hooked, empty = plain_environment(home), plain_environment(bare)
            command = [program, "-i", "-c", ":"]
            ours, limit = side_by_side(
                lambda c=command, e=hooked: seconds(c, e), lambda c=command, e=empty: seconds(c, e), rounds=151
            )
            note = f"{(ours - limit) * 1000:.2f} ms more"
            yield Result(f"interactive {name} starts", "the same, reading an empty file", ours / limit, 2, note=note)
            extra = processes(command, hooked) - processes(command, empty)
            what = f"interactive {name} starts: processes added by the hook (strace)"
            yield Result(what, "an empty startup file", extra, 0, "processes")


NAMES = ("workstation.toml", *(f".gauge{number:02}-version" for number in range(4)))
"""The names by which a project of ``followed`` could choose versions."""


def shell_folders() -> Iterator[Result]:
    """Loops of many rounds in one shell: what we do, beside the least that a right answer takes."""
    rounds = 400
    with followed() as (home, bare, shells):
        (bare / "project/.gauge00-version").write_text("1.1\n")
        for name, program in shells.items():
            hooked, empty = plain_environment(home), plain_environment(bare)
            for where, enter, limit in _limits(name):
                begin = f"{limit}; za__prompt; cd project; cd ..; {enter}"
                loops = [_loop(name, rounds * 5, begin, command) for command in ("za__prompt", "za_limit", ":")]
                ours, least, nothing = side_by_side(
                    *(
                        lambda c=loop, p=program, e=hooked, h=home: seconds([p, "-i", "-c", c], e, str(h))
                        for loop in loops
                    ),
                    rounds=15,
                )
                note = f"{(ours - nothing) / (rounds * 5) * 1e6:.1f} us"
                ratio = (ours - nothing) / (least - nothing)
                yield Result(f"{name}: a prompt in {where}", "a function that only looks for it", ratio, 1.5, note=note)
            enter = _loop(name, rounds, "", "cd project; cd ..")
            read = _loop(name, rounds, "", "cd project; read line <.gauge00-version; cd ..")
            ours, least = side_by_side(
                lambda p=program, c=enter, e=hooked: seconds([p, "-i", "-c", c], e, str(home)),
                lambda p=program, c=read, e=empty: seconds([p, "-i", "-c", c], e, str(bare)),
                rounds=15,
            )
            note = f"{(ours - least) / (rounds * 2) * 1e6:.0f} us more"
            what = f"{name}: entering a pinned folder and leaving it"
            yield Result(what, "`cd`, one read of the pin, `cd`", ours / least, 3, note=note)


def _limits(name: str) -> Iterator[tuple[str, str, str]]:
    """Where a prompt is, how to get there, and a function that does no more than the comparisons which tell whether the
    folder is another, or a pin has come, or has changed. (fish and zsh tell of another folder by themselves.)
    """
    there = "" if name == "zsh" else "$PWD == $za_here && "
    entry = "~/.cache/zesty-anchor/pins{}/.gauge00-version="
    if name == "fish":
        yield "an ordinary folder", "", f"function za_limit; path is -- {' '.join(NAMES)}; end"
        changed = "test .gauge00-version -nt $za_entry -o .gauge00-version -ot $za_entry"
        enter = f"cd project; set -g za_entry {entry.format('(pwd)')}; "
        yield "a pinned folder", enter, f"function za_limit; {changed}; end"
        return
    tests = " || ".join(f"-e {each}" for each in NAMES)
    yield "an ordinary folder", "za_here=$PWD; ", f"za_limit() {{ [[ $PWD == $za_here && ! ( {tests} ) ]]; }}"
    same = "! .gauge00-version -nt $za_entry && ! .gauge00-version -ot $za_entry"
    enter = f"cd project; za_here=$PWD za_entry={entry.format('$PWD')}; "
    yield "a pinned folder", enter, f"za_limit() {{ [[ {there}{same} ]]; }}"


def _loop(shell: str, rounds: int, before: str, command: str) -> str:
    if shell == "fish":
        return f"{before}for i in (seq {rounds}); {command}; end; true"
    return f"{before}i=0; while [ $i -lt {rounds} ]; do {command}; i=$((i+1)); done"


def launcher() -> Iterator[Result]:
    with provisioned(4) as (home, _):
        deep = home / "/".join("abcdefgh")
        deep.mkdir(parents=True)
        environment = plain_environment(home)
        data = home / ".local/share/zesty-anchor"
        direct, own = data / "shelf/gauge00/1.2.0/bin", [str(data / "bin/gauge00")]
        many = ":".join(f"/opt/tides/of/the/northern/quay/{n:04}/with/its/own/folder/bin" for n in range(130))
        long = {**environment, "PATH": f"{environment['PATH']}:{many}:{direct}"}
        seconds(own, environment, str(deep))
        ours, without, late = side_by_side(
            lambda: seconds(own, environment, str(deep)),
            lambda: seconds([str(direct / "gauge00")], environment, str(deep)),
            lambda: seconds(own, long, str(deep)),
            rounds=301,
        )
    yield Result("a launcher, eight folders deep", "the command itself", (ours - without) * 1000, 1.5, "ms")
    kilobytes = f"{len(long['PATH']) / 1000:.1f} kB of PATH, its own folder the last"
    yield Result(f"a launcher with {kilobytes}", "with a short PATH", (late - ours) * 1000, 2, "ms")


def growth() -> Iterator[Result]:
    """Three times the wants, at most 3.3 times the time; each runtime with two versions."""
    with provisioned(50, also=True) as (few, small), provisioned(150, also=True) as (many, large):
        for words, bar in ((("provision",), 0.0), (("verify",), 3.3), (("list",), 3.3)):
            if not bar:
                took = [provisioned_in[few], provisioned_in[many]]
                bar = 3.3
            else:
                took = side_by_side(
                    *(
                        lambda h=home, m=manifest, w=words: seconds(
                            [*PROGRAM, *w, "-m", str(m)], plain_environment(h), str(h)
                        )
                        for home, manifest in ((few, small), (many, large))
                    ),
                    rounds=3,
                )
            note = f"{took[1]:.1f} s, and {took[0]:.1f} s"
            yield Result(f"`{words[0]}` of 150 runtimes, two versions each", "of 50", took[1] / took[0], bar, note=note)
    with provisioned(5) as (few, _), provisioned(150) as (many, _):
        for name in FOLLOWING:
            program = shutil.which(name, path=login_path())
            if program is None:
                continue
            command = [program, "-i", "-c", ":"]
            small_start, large_start = side_by_side(
                *(lambda h=home, c=command: seconds(c, plain_environment(h), str(h)) for home in (few, many)),
                rounds=101,
            )
            ratio = large_start / small_start
            yield Result(
                f"interactive {name} starts, 150 runtimes", "with 5", ratio, 2, note=f"{large_start * 1e3:.1f} ms"
            )


def many_variables() -> Iterator[Result]:
    with room() as home:
        lines = "".join(f'TIDE_{number:04} = "{number} at the north quay"\n' for number in range(1000))
        head = 'as-root = "allowed"\n[shells]\nuse = "all"\n[variables]\n'
        (home / "workstation.toml").write_text(head + lines)
        took = seconds([*PROGRAM, "provision"], plain_environment(home), str(home))
    yield Result("`provision` of 1,000 variables, every shell proved", "–", took, 5, "s")


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
    growth,
    many_variables,
)
