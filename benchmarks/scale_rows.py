"""Rows of scale: ten times as much takes about ten times as long, and the memory stays small."""

from __future__ import annotations

import shutil
import subprocess
from collections.abc import Callable, Iterator
from pathlib import Path

from homes import PROGRAM, PYTHON, plain_environment, provisioned
from measure import Result, peak_megabytes, seconds, side_by_side

MOST_MEGABYTES = 150.0
_LINEAR = 12.0
"""Ten times as much may take so many times as long: a fifth is for what a larger machine state costs the caches."""

_RUNS = """
import os, sys
from pathlib import Path
from zesty_anchor.commands.asking import TerminalAsker
from zesty_anchor.operations.person import Person
from zesty_anchor.operations.switch import for_project
from zesty_anchor.planning.workstation import open_workstation, with_manifest_here
os.chdir(sys.argv[1])
for number in range(int(sys.argv[3])):
    bare = open_workstation(dict(os.environ), Path.cwd(), ("zesty-anchor",))
    for_project(with_manifest_here(bare, Path(sys.argv[2])), Person(yes=True), "gauge00", ("1.1", "1.2")[number % 2])
"""
"""Many runs of a few milliseconds each: a project's choice, written again and again."""


def _scaled(
    where: str,
    commands: list[list[str]],
    small: tuple[Path, Path],
    large: tuple[Path, Path],
    *,
    rounds: int = 5,
) -> Iterator[Result]:
    """Each command in a large home and in a small one, both with the manifest that is there."""

    def work(place: tuple[Path, Path], words: list[str]) -> Callable[[], float]:
        home, manifest = place
        return lambda: seconds([*PROGRAM, *words], plain_environment(home), str(manifest.parent))

    for words in commands:
        few, many = side_by_side(work(small, words), work(large, words), rounds=rounds)
        note = f"{many:.2f} s, and {few:.2f} s"
        name = f"`{' '.join(words)}` {where}"
        yield Result(name, "with a tenth of them", many / few, _LINEAR, note=note)
        home, manifest = large
        inside = ["env", "-C", str(manifest.parent), *PROGRAM, *words]
        peak = peak_megabytes(inside, plain_environment(home))
        yield Result("its peak memory", "–", peak, MOST_MEGABYTES, "MB")


def pinned_folders() -> Iterator[Result]:
    """10,000 folders with pins that are known as projects."""
    with provisioned(2) as (large, manifest), provisioned(2) as (small, other):
        for home, count in ((large, 10_000), (small, 1_000)):
            for number in range(count):
                folder = home / f"desk/quay{number // 100:03}/{number % 100:02}"
                folder.mkdir(parents=True)
                (folder / ".gauge00-version").write_text("1.1\n")
            subprocess.run(
                [PYTHON, "-c", _NOTED, str(home / "desk"), str(count)],
                env=plain_environment(home),
                check=True,
            )
        yield from _scaled(
            "with 10,000 known folders with pins", [["projects"], ["prune", "versions", "--list"], ["list"]],
            (small, other), (large, manifest),
        )  # fmt: skip


_NOTED = """
import os, sys
from pathlib import Path
from zesty_anchor.operations.projects import note_projects
from zesty_anchor.planning.workstation import open_workstation
top, count = Path(sys.argv[1]), int(sys.argv[2])
bare = open_workstation(dict(os.environ), Path.cwd(), ("zesty-anchor",))
note_projects(bare, [top / f"quay{n // 100:03}/{n % 100:02}" for n in range(count)])
"""


def large_home() -> Iterator[Result]:
    """2 million files in a home."""
    with provisioned(2) as (large, manifest), provisioned(2) as (small, other):
        for home, count in ((large, 2_000_000), (small, 200_000)):
            subprocess.run([PYTHON, "-c", _FILES, str(home / "tables"), str(count)], check=True)
        yield from _scaled(
            "in a home of 2,000,000 files", [["survey"], ["preview"], ["verify"]],
            (small, other), (large, manifest), rounds=3,
        )  # fmt: skip


_FILES = """
import os, sys
top, count = sys.argv[1], int(sys.argv[2])
for number in range(count // 1000):
    folder = f"{top}/{number // 50}/{number % 50}"
    os.makedirs(folder)
    for each in range(1000):
        os.close(os.open(f"{folder}/{each}", os.O_CREAT | os.O_WRONLY))
"""


def many_versions() -> Iterator[Result]:
    """1,000 versions on the shelf: those of one runtime, copied beside it."""
    with provisioned(1) as (large, manifest), provisioned(1) as (small, other):
        for home, count in ((large, 1_000), (small, 100)):
            shelf = home / ".local/share/zesty-anchor/shelf/gauge00"
            for number in range(count):
                copy = shelf / f"1.{number // 100 + 3}.{number % 100}"
                shutil.copytree(shelf / "1.1.0", copy, symlinks=True)
                receipt = copy / ".zesty-anchor.json"
                receipt.write_text(receipt.read_text().replace("1.1.0", copy.name))
        yield from _scaled(
            "with 1,000 versions on the shelf", [["list", "gauge00", "--all", "--offline"], ["status"], ["prune", "versions", "--list"]],
            (small, other), (large, manifest),
        )  # fmt: skip


def huge_startup_file() -> Iterator[Result]:
    """A startup file of 10 MB."""
    with provisioned(1) as (large, manifest), provisioned(1) as (small, other):
        for home, count in ((large, 200_000), (small, 20_000)):
            rows = b"".join(b"alias tide%06d='ls -l /quay/%06d/tables.txt'\n" % (n, n) for n in range(count))
            (home / ".bashrc").write_bytes((home / ".bashrc").read_bytes() + rows)
        yield from _scaled(
            "with a .bashrc of 10 MB", [["preview"], ["survey"], ["trace", "gauge00"]],
            (small, other), (large, manifest), rounds=3,
        )  # fmt: skip


def long_manifest() -> Iterator[Result]:
    """A manifest of 5,000 lines: variables, and folders on PATH."""
    with provisioned(1) as (large, manifest), provisioned(1) as (small, other):
        for file, count in ((manifest, 4_900), (other, 490)):
            rows = "".join(f'LEVEL_{n:04} = "{n} dm at the quay"\n' for n in range(count))
            file.write_text(f"{file.read_text()}\n[variables]\n{rows}")
        yield from _scaled(
            "of a manifest of 5,000 lines", [["preview"], ["lock", "--offline"]],
            (small, other), (large, manifest),
        )  # fmt: skip


def long_history() -> Iterator[Result]:
    """A history of 1,000 runs."""
    with provisioned(1) as (large, manifest), provisioned(1) as (small, other):
        for home, file, count in ((large, manifest, 1_000), (small, other, 100)):
            (home / "project").mkdir()
            subprocess.run(
                [PYTHON, "-c", _RUNS, str(home / "project"), str(file), str(count)],
                env=plain_environment(home),
                check=True,
            )
        yield from _scaled(
            "after 1,000 runs", [["history"], ["undo", "--list"], ["status"], ["provision"]],
            (small, other), (large, manifest),
        )  # fmt: skip
