"""The rows about the program itself."""

from __future__ import annotations

import functools
import http.server
import json
import os
import shutil
import statistics
import subprocess
import threading
import time
from collections.abc import Iterator
from contextlib import ExitStack
from pathlib import Path
from typing import Any

import pysequoia
from homes import CLICK, FOLLOWING, PROGRAM, plain_environment, provisioned, provisioned_in, room
from measure import Result, peak_megabytes, seconds, side_by_side

from zesty_anchor.demo.archive import write_suite
from zesty_anchor.demo.home import furnish
from zesty_anchor.demo.host import Host
from zesty_anchor.demo.wares import pack, write_index, write_runtime
from zesty_anchor.shells.known import SHELLS
from zesty_anchor.survey.machine import installed_shells
from zesty_anchor.system.host import login_path


def version() -> Iterator[Result]:
    with room() as home:
        environment = plain_environment(home)
        ours, click = side_by_side(
            lambda: seconds([*PROGRAM, "--version"], environment),
            lambda: seconds(CLICK, environment),
            rounds=25,
        )
    yield Result("`zesty-anchor --version`", '`python -c "import click"`', ours / click, 1.6)


def nothing_to_do() -> Iterator[Result]:
    yield _with_20_runtimes("provision", "`provision`, nothing to do, 20 runtimes", 2.2)


def status_in_a_moment() -> Iterator[Result]:
    yield _with_20_runtimes("status", "`status`, 20 runtimes", 1.6)


def upgrade_plans() -> Iterator[Result]:
    with provisioned(20) as (home, manifest):
        environment, folder = plain_environment(home), str(manifest.parent)
        (took,) = side_by_side(
            lambda: seconds([*PROGRAM, "upgrade", "--list", "--beyond", "--offline"], environment, folder),
            rounds=9,
        )
    yield Result("`upgrade --list --beyond` of 20 runtimes", "–", took, 1, "s")


def prune_of_100_versions() -> Iterator[Result]:
    """50 runtimes in two versions each, every version with 200 files."""
    with provisioned(50, also=True) as (home, manifest):
        environment, folder = plain_environment(home), str(manifest.parent)
        versions = [path for path in (home / ".local/share/zesty-anchor/shelf").glob("*/*") if path.is_dir()]
        for version in versions:
            for number in range(200):
                inner = version / f"share/{number % 10}"
                inner.mkdir(parents=True, exist_ok=True)
                (inner / f"{number}.txt").write_bytes(b"low water\n" * 50)
        took, du = side_by_side(
            lambda: seconds([*PROGRAM, "prune", "versions", "--list"], environment, folder),
            lambda: seconds(["du", "-s", str(versions[0].parents[1])], environment, folder),
            rounds=9,
        )
    name = f"`prune --list` of {len(versions)} versions, {200 * len(versions)} files"
    yield Result(name, "–", took, 0.5, "s", f"`du -s`: {du:.2f} s")


def _with_20_runtimes(command: str, name: str, bar: float) -> Result:
    with provisioned(20) as (home, manifest):
        environment = plain_environment(home)
        folder = str(manifest.parent)
        ours, click = side_by_side(
            lambda: seconds([*PROGRAM, command], environment, folder),
            lambda: seconds(CLICK, environment, folder),
            rounds=25,
        )
    return Result(name, '`python -c "import click"`', ours / click, bar)


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
            lambda: seconds([*command, "--offline"], environment),
            lambda: seconds(CLICK, environment),
            rounds=25,
        )
    yield Result(
        "`list` of 700 versions, from what was answered before", '`python -c "import click"`', ours / click, 4
    )


ENTRIES = 60_000


def debian_archive() -> Iterator[Result]:
    """Two suites as large as Debian's: each index is fetched, checked and read as it arrives, for a few of
    its entries.
    """
    with room() as home:
        key = pysequoia.Tsk.generate("Harbour <harbour@example.org>")
        (home / "harbour.pgp").write_bytes(bytes(key.extract_certificate()))
        (home / "archive").mkdir()
        for number, suite in enumerate(("calm", "storm")):
            others = "".join(
                f"Package: tide-{n}\nVersion: {n}.{number}\nDescription: {os.urandom(60).hex()}\nDepends:"
                f" {', '.join(f'tide-{n * m % ENTRIES} (>= {m})' for m in range(2, 14))}\nFilename:"
                f" pool/tide-{n}.deb\n\n"
                for n in range(ENTRIES)
            )
            fields = {"Package": f"kelp-{number + 3}", "Version": f"{number + 3}.1-1"}
            write_suite(
                home / "archive", suite, [(fields, {"usr/lib/kelp/x": b"x"})], key.signer(), others=others
            )
        indexes = sorted((home / "archive").glob("dists/*/main/*/Packages.xz"))
        with Host(home / "archive") as serving:
            manifest = home / "workstation.toml"
            manifest.write_text(
                f'[feeds.harbour]\nkind = "debian"\nurl = "{serving.url}"\nsuites = ["calm", "storm"]\nkey ='
                ' "harbour.pgp"\n[recipes.kelp]\ncommands = ["kelp"]\n[[recipes.kelp.feeds]]\nkind ='
                ' "debian"\nnames = ["kelp-{line}"]\n[runtimes.kelp]\nwant = "4"\n'
            )
            command, environment = [*PROGRAM, "list", "kelp", "-m", str(manifest)], plain_environment(home)
            files = " ".join(map(str, indexes))
            plain = [
                "sh",
                "-c",
                f"for f in {files}; do (sha256sum $f; xz -dc $f | grep -A4 '^Package: kelp-') & done; wait",
            ]
            ours, theirs = side_by_side(
                lambda: seconds(command, environment, without=home / ".cache"),
                lambda: seconds(plain, environment),
                rounds=5,
            )
            shutil.rmtree(home / ".cache", ignore_errors=True)
            peak = peak_megabytes(command, environment)
        size = sum(file.stat().st_size for file in indexes) / 1e6
    note = f"{size:.0f} MB packed, {ours:.1f} s"
    yield Result(
        "versions out of a Debian archive of two suites",
        "`sha256sum`, `xz -dc` and `grep`",
        ours / theirs,
        2.5,
        note=note,
    )
    yield Result("its peak memory", "–", peak, 120, "MB")


def crowded_survey() -> Iterator[Result]:
    """The demo's home, with every shell that is installed: each is started in each of its ways."""
    with room() as home:
        furnish(home, "http://127.0.0.1:9/", with_c=True)
        environment = plain_environment(home)
        seconds([*PROGRAM, "survey"], environment, str(home))
        took = sorted(seconds([*PROGRAM, "survey"], environment, str(home)) for _ in range(5))[2]
    yield Result("`survey` of a home that people have lived in", "–", took, 3, "s")


def looks() -> Iterator[Result]:
    """What a look costs beside the shells that it starts: each in each of its ways, traced, in a copy of the
    home.
    """
    environment = {"PATH": login_path()}
    shells = [(shell.name, shell.program) for shell in installed_shells(environment)]
    with room() as home:
        furnish(home, "http://127.0.0.1:9/", with_c=True)
        environment = plain_environment(home)

        def plain() -> float:
            ways = ((["-c", "true"] if name == "tcsh" else ["-l", "-i", "-c", "true"]) for name, _ in shells)
            return sum(
                seconds([path, *way], environment, str(home))
                for (_, path), way in zip(shells, ways, strict=True)
            )

        for words in (["trace", "kelp"], ["survey"]):
            ours, limit = side_by_side(
                lambda words=words: seconds([*PROGRAM, *words], environment, str(home)),  # type: ignore[misc]
                plain,
                rounds=5,
            )
            yield Result(
                f"`{' '.join(words)}`",
                f"one plain start of each of {len(shells)} shells",
                ours / limit,
                8,
                note=f"{ours:.2f} s",
            )


_LINES = b"""alias t%d='ls -l ~/desk/%d'
if [ -d ~/gauges/%d ]; then PATH=$PATH:~/gauges/%d; fi
"""
_OLD = b"export KELP_HOME=~/old-kelp\nPATH=$KELP_HOME/bin:$PATH\n"


def long_startup_file() -> Iterator[Result]:
    """A preview that finds the old install's lines, in a startup file of a megabyte and in one of a
    kilobyte.
    """
    with provisioned(1) as (home, manifest):
        (home / "old-kelp/bin").mkdir(parents=True)
        manifest.write_text(manifest.read_text() + '\n[[conflicts.remove]]\npath = "~/old-kelp"\n')
        environment = plain_environment(home)

        def preview(size: int) -> float:
            count = size // len(_LINES)
            text = b"".join(_LINES % ((number,) * 4) for number in range(count)) + _OLD * (count // 50 + 1)
            (home / ".bashrc").write_bytes(text)
            return seconds([*PROGRAM, "preview"], environment, str(manifest.parent))

        took = side_by_side(lambda: preview(1_000_000), lambda: preview(1_000), rounds=5)
    note = f"{took[0]:.2f} s"
    yield Result("`preview` with a .bashrc of 1 MB", "with one of 1 kB", took[0] / took[1], 3, note=note)


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
    """Every download and every build takes one of the slots for a known time: their sum over the slots is the
    bound.
    """
    with room() as home:
        feed = home / "feed"
        feed.mkdir()
        text = 'as-root = "allowed"\n[shells]\nuse = ["bash"]\n'
        recipes = ""
        for number in range(DOWNLOADS):
            name, source = f"gauge{number:02}", number < BUILDS
            files = {
                f"bin/{name}": (f"#!/bin/sh\necho {name}\n".encode(), 0o755),
                "ballast": (os.urandom(SIZE), 0o644),
            }
            content = pack(name, files, "tar.gz")
            write_runtime(
                feed, name, [("1.0", "2026-01-01", (), "source" if source else "any", f"{name}.tgz", content)]
            )
            recipes += f'[recipes.{name}]\ncommands = ["{name}"]\n[runtimes.{name}]\nwant = "latest"\n'
            if source:
                recipes += (
                    f"[recipes.{name}.build]\nsteps = ['sleep {BUILD_SECONDS}', 'cp -R bin \"$OUT\"']\n"
                )
        write_index(feed, [f"gauge{n:02}" for n in range(DOWNLOADS)])
        server = http.server.ThreadingHTTPServer(
            ("127.0.0.1", 0), functools.partial(Metered, directory=str(feed))
        )
        threading.Thread(target=server.serve_forever, daemon=True).start()
        address = f"http://127.0.0.1:{server.server_address[1]}/"
        (home / "workstation.toml").write_text(
            f'{text}[feeds.harbour]\nkind = "index"\nurl = "{address}"\n{recipes}'
        )
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


def verification() -> Iterator[Result]:
    """``verify`` against the slowest start of one shell that runs each runtime itself: a process, and nothing
    else.
    """
    with provisioned(8, turns=40_000) as (home, manifest):
        environment = plain_environment(home)
        names = [f"gauge{number:02}" for number in range(8)]
        script = "; ".join([*(f"command -v {name}" for name in names), "env", *names])
        starts = []
        for shell in SHELLS.values():
            program = next(
                (found for each in shell.programs if (found := shutil.which(each, path=login_path()))), None
            )
            if program is not None:
                starts += [[program, *context.options, "-c", script] for context in shell.contexts]

        def slowest() -> float:
            return max(_seconds_of(words, environment, str(home)) for words in starts)

        def whole() -> float:
            return seconds([*PROGRAM, "verify", "-m", str(manifest)], environment, str(home))

        own, took = side_by_side(slowest, whole, rounds=5)
    note = f"{took:.2f} s, and {own:.2f} s"
    yield Result(
        f"`verify` of 8 runtimes in {len(starts)} starts",
        "the slowest start with its checks",
        took / own,
        2,
        note=note,
    )


def _seconds_of(words: list[str], environment: dict[str, str], folder: str) -> float:
    began = time.perf_counter()
    subprocess.run(
        words, env=environment, cwd=folder, stdin=subprocess.DEVNULL, capture_output=True, check=False
    )
    return time.perf_counter() - began


def growth() -> Iterator[Result]:
    """Three times the wants, at most 3.3 times the time; each runtime with two versions.

    The work on 50 is done three times in a row for each work on 150: a machine that slows down after some
    seconds of work then slows both down alike.
    """
    with provisioned(150, also=True) as (many, large), ExitStack() as homes:
        small = [homes.enter_context(provisioned(50, also=True)) for _ in range(3)]
        took = [statistics.mean(provisioned_in[home] for home, _ in small), provisioned_in[many]]
        yield _grown("provision", took)
        for word in ("verify", "list"):

            def each(home: Path, manifest: Path, word: str = word) -> float:
                return seconds([*PROGRAM, word, "-m", str(manifest)], plain_environment(home), str(home))

            took = side_by_side(
                lambda: statistics.mean(each(home, manifest) for home, manifest in small),
                lambda: each(many, large),
                rounds=3,
            )
            yield _grown(word, took)
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
                f"interactive {name} starts, 150 runtimes",
                "with 5",
                ratio,
                2,
                note=f"{large_start * 1e3:.1f} ms",
            )


def _grown(word: str, took: list[float]) -> Result:
    note = f"{took[1]:.1f} s, and {took[0]:.1f} s"
    return Result(f"`{word}` of 150 runtimes, two versions each", "of 50", took[1] / took[0], 3.3, note=note)
