"""Homes for measuring in: fresh ones, provisioned ones, and ones that follow a project."""

from __future__ import annotations

import shutil
import sys
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from measure import seconds

from zesty_anchor.demo.host import Host
from zesty_anchor.demo.wares import pack, write_index, write_runtime
from zesty_anchor.system.host import login_path

PYTHON = str(Path(sys.executable))


PROGRAM = [PYTHON, str(Path(sys.executable).with_name("zesty-anchor"))]


CLICK = [PYTHON, "-c", "import click"]


@contextmanager
def room() -> Iterator[Path]:
    with tempfile.TemporaryDirectory(prefix="tide-") as name:
        yield Path(name)


def plain_environment(home: Path) -> dict[str, str]:
    return {"HOME": str(home), "PATH": login_path(), "LANG": "C.UTF-8", "TERM": "dumb"}


provisioned_in: dict[Path, float] = {}
"""The seconds that it took to provision each home."""


@contextmanager
def provisioned(count: int, *, also: bool = False, turns: int = 0) -> Iterator[tuple[Path, Path]]:
    """A home with ``count`` small runtimes on the shelf, and its manifest; with ``also`` two versions of
    each. Each works for so many ``turns`` of a loop before it answers.
    """
    work = f"n=0; while [ $n -lt {turns} ]; do n=$((n + 1)); done\n" if turns else ""
    with room() as home:
        feed = home / "feed"
        feed.mkdir()
        names = [f"gauge{number:02}" for number in range(count)]
        for name in names:
            releases = []
            for version in ("1.2.0", "1.1.0"):
                files = {f"bin/{name}": (f"#!/bin/sh\n{work}echo {name} {version}\n".encode(), 0o755)}
                file = f"{name}-{version}.tar.gz"
                releases.append((version, "2026-01-01", (), "any", file, pack(name, files, "tar.gz")))
            write_runtime(feed, name, releases)
        write_index(feed, names)
        manifest = home / "desk/workstation.toml"
        manifest.parent.mkdir()
        with Host(feed) as serving:
            text = f'as-root = "allowed"\n[shells]\nuse = "all"\n[feeds.harbour]\nkind = "index"\nurl = "{serving.url}"\n'
            for name in names:
                text += f'[recipes.{name}]\ncommands = ["{name}"]\n[recipes.{name}.version]\nrun = "{name}"\n'
                text += f'[runtimes.{name}]\nwant = "latest"\n' + (
                    'also = ["1.1"]\n' if also or name == names[0] else ""
                )
            manifest.write_text(text)
            provisioned_in[home] = seconds(
                [*PROGRAM, "provision", "-m", str(manifest), "--trust", str(manifest)],
                plain_environment(home),
            )
        yield home, manifest


FOLLOWING = {
    "bash": ".bashrc",
    "zsh": ".zshrc",
    "fish": ".config/fish/config.fish",
    "ksh": ".kshrc",
    "mksh": ".mkshrc",
}
"""The shells that follow the current folder, and the startup file of an interactive one."""


@contextmanager
def followed() -> Iterator[tuple[Path, Path, dict[str, str]]]:
    """A home with four runtimes and a project that pins one of them, a home with empty startup files, and the
    shells.
    """
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
