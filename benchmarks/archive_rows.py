"""The rows about archives."""

from __future__ import annotations

import hashlib
import os
import shutil
import subprocess
from collections.abc import Iterator
from pathlib import Path

from homes import PYTHON, plain_environment, room
from measure import Result, cpu_seconds, peak_megabytes, seconds, side_by_side

from zesty_anchor.demo.host import Host
from zesty_anchor.demo.wares import pack
from zesty_anchor.system.host import host


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
            used = side_by_side(
                lambda: cpu_seconds(ours, environment, without=place / "ours"),
                lambda: cpu_seconds(theirs, environment, str(place), without=place / "theirs"),
                rounds=3,
            )
            yield Result(
                "install Node's tarball: fetch, check, unpack",
                "`curl`, then `sha512sum`, then `tar`",
                mine / other,
                1.2,
                note=f"{size:.0f} MB from loopback; {_cpu(used)}",
            )
            shutil.rmtree(place / "ours")
            yield Result("its peak memory", "–", peak_megabytes(ours, environment), 120, "MB")


def _cpu(used: list[float]) -> str:
    return f"CPU: {used[0]:.2f} s and {used[1]:.2f} s"


def fetch_node(folder: Path) -> Path | None:
    """Node's tarball for this machine, from the registry that the user's npm configuration names."""
    from zesty_anchor.feeds.documents import Web
    from zesty_anchor.feeds.feed import Around, Supply
    from zesty_anchor.feeds.npm import NpmFeed
    from zesty_anchor.feeds.web import WebBody
    from zesty_anchor.manifest.read import read_recipe
    from zesty_anchor.manifest.want import Want
    from zesty_anchor.recipes import SHIPPED
    from zesty_anchor.system.problem import Problem

    source = next(each for each in read_recipe(SHIPPED / "node.toml").sources if each.kind == "npm")
    web = Web()
    try:
        feed = NpmFeed(Supply("npm", "npm", None, "node"), Around(os.environ, Path.home(), web))
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


def many_files() -> Iterator[Result]:
    """Installing (fetching, digesting and unpacking) against unpacking alone by the system's own tool."""
    files = {
        f"d{i % 100}/s{i % 7}/f{i}.txt": (b"high water, low water %d " % i * (i % 400 + 10), 0o644)
        for i in range(10_000)
    }
    for kind, tool, bar in (
        ("zip", "unzip -q {} -d out", 1.0),
        ("tar.gz", "mkdir out && tar -xzf {} -C out", 1.1),
    ):
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
                ours = [
                    PYTHON,
                    str(Path(__file__).with_name("install_once.py")),
                    url,
                    digest,
                    str(place / "ours"),
                ]
                theirs = ["sh", "-ec", tool.format(archive.name)]
                mine, other = side_by_side(
                    lambda c=ours, e=environment, p=place: seconds(c, e, without=p / "ours"),
                    lambda c=theirs, e=environment, p=place: seconds(c, e, str(p), without=p / "out"),
                    rounds=5,
                )
                used = side_by_side(
                    lambda c=ours, e=environment, p=place: cpu_seconds(c, e, without=p / "ours"),
                    lambda c=theirs, e=environment, p=place: cpu_seconds(c, e, str(p), without=p / "out"),
                    rounds=3,
                )
            name = f"install a {kind} of 10,000 files: fetch, check, unpack"
            against = f"`{tool.split(' {')[0].split('&& ')[-1]}` alone"
            yield Result(name, against, mine / other, bar, note=_cpu(used))


def kept_for_good() -> Iterator[Result]:
    """What is done beside, so that nothing is lost: a list of all files with their digests, and all of it on
    disk.
    """
    with room() as place:
        made: list[Path] = []

        def fresh() -> Path:
            folder = place / str(len(made))
            for number in range(10_000):
                file = folder / f"d{number % 100}" / f"f{number}.txt"
                file.parent.mkdir(parents=True, exist_ok=True)
                file.write_bytes(b"high water, low water %d " % number * (number % 400 + 10))
            made.append(folder)
            return folder

        environment = plain_environment(place)
        script = str(Path(__file__).with_name("keep_once.py"))
        by_hand = (
            "find . -type f -print0 | xargs -0 sha256sum >../list; find . -type f -print0 | xargs -0 sync"
        )
        ours, theirs = side_by_side(
            lambda: seconds([PYTHON, script, str(fresh())], environment),
            lambda: seconds(["sh", "-c", by_hand], environment, str(fresh())),
            rounds=3,
        )
    against = "`find`, `sha256sum` and `sync` of each file"
    yield Result(
        "keep a version of 10,000 files for good: list, digest, flush",
        against,
        ours / theirs,
        1.5,
        note=f"{ours:.1f} s",
    )


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
