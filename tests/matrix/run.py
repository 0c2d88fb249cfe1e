"""Proves the program on each Debian with each Python there and as one file, in every shell, and writes the
table of docs/tested.md.

python -m tests.matrix.run SCRATCH SUITE …     called by scripts/matrix, which makes the roots below SCRATCH
"""

from __future__ import annotations

import datetime
import platform
import re
import shutil
import subprocess
import sys
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

from tests.matrix.asked import SHELLS, Row, Subject, proved
from tests.matrix.place import Place, closed, opened

PROJECT = Path(__file__).parents[2]
PAGE = PROJECT / "docs/tested.md"
FILE = PROJECT / f"dist/zesty-anchor-linux-{platform.machine()}"
PLATFORMS = ("manylinux_2_31", "manylinux_2_28", "manylinux_2_17", "manylinux2014")
OLDEST = (3, 11)
EMULATED = 20
"""How many times longer a program of another kind of machine may take."""
BEGIN, END = "<!-- made by scripts/matrix: do not edit -->", "<!-- the end of what scripts/matrix made -->"
NODE = Subject(
    "node",
    '[shells]\nuse = "all"\n\n[runtimes.node]\nwant = "22"\nalso = ["20"]\n',
    "v22.",
    "20",
    "node -e 'console.log(6 * 7)'",
    "42",
)


def pythons(root: Path) -> list[str]:
    """The versions of Python that a root holds and the program runs on: ``["3.11"]``."""
    found = (re.fullmatch(r"python(\d+)\.(\d+)", file.name) for file in root.glob("usr/bin/python3.*"))
    return [
        f"{major}.{minor}"
        for major, minor in sorted((int(f[1]), int(f[2])) for f in found if f)
        if (major, minor) >= OLDEST
    ]


def machine_of(root: Path) -> str:
    """What the programs of a root are for: ``x86_64``, ``aarch64``."""
    return next(folder.name for folder in root.glob("usr/lib/*-linux-gnu")).partition("-")[0]


def installed(place: Place, version: str, scratch: Path) -> str:
    """Install the checkout's wheel for that Python of a place; returns the path of the program in it."""
    wheels = scratch / f"wheels-{version}"
    shutil.rmtree(wheels, ignore_errors=True)
    pip = [sys.executable, "-m", "pip", "--quiet", "--disable-pip-version-check"]
    subprocess.run([*pip, "wheel", "--no-deps", "--wheel-dir", str(wheels), str(PROJECT)], check=True)
    (own,) = wheels.glob("zesty_anchor-*.whl")
    asked = ["--only-binary", ":all:", "--python-version", version, "--implementation", "cp"]
    asked += [f"--platform={each}_{machine_of(place.root)}" for each in PLATFORMS]
    subprocess.run([*pip, "download", "--dest", str(wheels), *asked, str(own)], check=True)
    shutil.copytree(wheels, place.root / "wheels")
    place.inside(f"python{version}", "-m", "venv", "/opt/za")
    place.inside("/opt/za/bin/pip", "install", "-q", "--no-index", "--find-links=/wheels", "zesty-anchor")
    return "/opt/za/bin/zesty-anchor"


def copied(place: Place) -> str:
    """The program as one file; returns its path in the place."""
    shutil.copy(FILE, place.root / "opt/zesty-anchor")
    return "/opt/zesty-anchor"


def rows(scratch: Path, suite: str, lock: Path) -> Iterator[Row]:
    """Each program in its own copy of one Debian, with the ``lock`` that the last one wrote."""
    base, root = scratch / f"matrix-{suite}", scratch / f"run-{suite}"
    registry = subprocess.run(
        ["npm", "config", "get", "registry"], capture_output=True, text=True, check=True
    ).stdout.strip()
    here = machine_of(base) == platform.machine()
    for version in (*([""] if here else []), *pythons(base)):
        place = opened(base, root, {"npm_config_registry": registry}, 1 if here else EMULATED)
        try:
            place.trust_what_this_machine_trusts()
            program = installed(place, version, scratch) if version else copied(place)
            glibc = place.version("libc6")
            name = f"{name_of(place)} (glibc {glibc}{'' if here else ', arm64, emulated'})"
            row = Row(name, f"Python {version}" if version else "one file")
            text = lock.read_text() if lock.exists() else ""
            yield proved(place, program, replace(NODE, lock=text), SHELLS, row)
            lock.write_text(row.lock or text)
        finally:
            closed(root)


def name_of(place: Place) -> str:
    """What the system calls itself: ``Debian 12``."""
    text = (place.root / "etc/os-release").read_text()
    number = re.search(r'VERSION_ID="(\d+)"', text)
    return f"Debian {number[1]}" if number else "Debian sid"


def line(row: Row, day: str) -> str:
    """A row of Markdown: a cell has the shell's version, and how many questions it answered right."""
    cells = [f"{row.versions.get(each.name, '')} {_count(row, each.name)}" for each in SHELLS]
    return (
        f"| {' | '.join([row.place, row.program, *cells, _count(row, 'all'), f'{row.seconds:.0f} s', day])} |"
    )


def wrong(row: Row) -> list[str]:
    """What went wrong in it, a text for each question."""
    about = f"{row.place}, {row.program}"
    return [f"{about}, {name}: {each}" for name, failures in row.failures.items() for each in failures]


def _count(row: Row, name: str) -> str:
    asked = row.asked.get(name, 0)
    wrong = len(row.failures.get(name, ()))
    return f"**{asked - wrong} of {asked}**" if wrong else f"{asked} of {asked}"


def written(page: str, made: list[str]) -> str:
    """The page with these rows of the table between its two marks, each in place of the one that is there of
    the same system and program.
    """
    before, _, rest = page.partition(BEGIN)
    there, _, after = rest.partition(END)
    old = [each for each in there.splitlines() if each.startswith("| ")][1:]
    every = {tuple(each.split(" | ")[:2]): each for each in (*old, *made)}
    head = ["system", "program", *(each.name for each in SHELLS), "whole", "took", "day"]
    table = [f"| {' | '.join(head)} |", f"|{'---|' * len(head)}", *every.values()]
    return "\n".join([f"{before}{BEGIN}", "", *table, "", f"{END}{after}"])


def main(scratch: Path, suites: list[str]) -> int:
    code, lock = 0, scratch / "workstation.lock"
    for suite in suites:
        for row in rows(scratch, suite, lock):
            made = line(row, f"{datetime.date.today()}")
            print("\n".join([made, *wrong(row)]), flush=True)
            PAGE.write_text(written(PAGE.read_text("utf-8"), [made]), "utf-8")
            code = code or bool(row.failures)
    return int(code)


if __name__ == "__main__":
    sys.exit(main(Path(sys.argv[1]), sys.argv[2:]))
