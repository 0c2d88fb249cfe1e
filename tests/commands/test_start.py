"""What a command fetches before it works: a start is quick only as long as it fetches little."""

from __future__ import annotations

import subprocess
import sys

from tests.conftest import Desk
from zesty_anchor.system.host import login_path

HEAVY = (
    "rich", "requests", "urllib3", "tomlkit", "tree_sitter", "tree_sitter_bash", "tree_sitter_toml",
    "pexpect", "ptyprocess",
    "pysequoia", "zstandard", "semantic_version", "packaging", "jmespath", "configupdater", "subprocess",
    "tempfile",
    "tarfile", "zipfile", "hashlib", "concurrent.futures", "socket", "logging", "sysconfig", "graphlib",
    "http.client",
)  # fmt: skip
"""Modules that take their time, and that nothing needs where there is nothing to do."""
SCRIPT = """
import sys
from zesty_anchor.commands import exit_code
sys.argv[0] = {program!r}
code = exit_code()
assert code == 0, code
print("\\n".join(sys.modules))
"""


def fetched(desk: Desk, *words: str) -> set[str]:
    """The modules that are there after a command."""
    program = str(desk.home / "bin/zesty-anchor")
    done = subprocess.run(
        [sys.executable, "-c", SCRIPT.format(program=program), *words], cwd=desk.home, capture_output=True,
        text=True,
        check=False, env={"HOME": str(desk.home), "PATH": login_path(), "LANG": "C.UTF-8"},
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    return set(done.stdout.splitlines())


def test_the_version_is_told_by_click_alone(desk: Desk) -> None:
    found = fetched(desk, "--version")
    assert not found & {*HEAVY, "msgspec", "sqlite3", "tomllib", "hashlib"}
    ours = {name for name in found if name.startswith("zesty_anchor.")}
    assert ours == {
        "zesty_anchor.commands",
        "zesty_anchor.system",
        "zesty_anchor.system.own_commands",
        "zesty_anchor.system.signals",
    }


def test_nothing_to_do_fetches_nothing_that_would_do_it(desk: Desk) -> None:
    desk.write("#!/bin/sh\n", "bin/zesty-anchor").chmod(0o755)
    desk.wants('[shells]\nuse = "all"\n[variables]\nGAUGE = "north"\n')
    for _ in range(2):  # the first one writes the words that start this very program
        found = fetched(desk, "provision")
    assert "zesty_anchor.planning.planner" in found, "it was compared"
    assert not found & set(HEAVY)
    unneeded = (
        "operations.work",
        "engine.run",
        "proof.prove",
        "feeds.open",
        "shelf.download",
        "changes.runtimes.install",
    )
    assert not found & {f"zesty_anchor.{name}" for name in unneeded}


FEEDS = {"html.parser", "email.utils", "lzma", "configparser", "subprocess", "concurrent.futures", "hashlib"}
"""What feeds need once they are asked."""


def test_which_kinds_of_feed_there_are_is_known_without_what_they_are_read_with() -> None:
    """A recipe has feeds of several kinds, and which of them may serve is decided at every look."""
    script = (
        "import sys; from zesty_anchor.manifest.feed_kinds import FEED_KINDS\n"
        "print(len([kind for _, kind in FEED_KINDS.items()])); print(*sys.modules, sep='\\n')"
    )
    done = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=True)
    number, *found = done.stdout.splitlines()
    assert int(number) >= 8 and "zesty_anchor.feeds.debian" in found
    assert not set(found) & FEEDS


COUNTED = """
import collections, sqlite3, sys, tomllib
from zesty_anchor.commands import exit_code
from zesty_anchor.manifest import position
from zesty_anchor.survey import machine
counts = collections.Counter()


def counted(name, function):
    def call(*given, **more):
        counts[name] += 1
        return function(*given, **more)
    return call


sqlite3.connect = counted("journal", sqlite3.connect)
tomllib.loads = counted("manifest", tomllib.loads)
position._positions = counted("lines", position._positions)
machine.stock = counted("shelf", machine.stock)
code = exit_code()
assert code == 0, code
print(dict(sorted(counts.items())), file=sys.stderr)
"""


TOOLS = [
    "ls",
    "cat",
    "cp",
    "mv",
    "rm",
    "ln",
    "mkdir",
    "rmdir",
    "touch",
    "chmod",
    "chown",
    "date",
    "basename",
    "head",
    "tail",
    "sort",
    "uniq",
    "wc",
    "tr",
    "cut",
]


def test_each_fact_is_read_once(desk: Desk) -> None:
    """The journal, the manifest, its lines and the shelf, however many runtimes there are."""
    recipes = "".join(f'[recipes.{tool}]\ncommands = ["{tool}"]\n' for tool in TOOLS)
    runtimes = "".join(f'[runtimes.{tool}]\nwant = "system"\n' for tool in TOOLS)
    desk.wants(recipes, '[runtimes.kelp]\nwant = "lts"\n' + runtimes)
    desk.well("provision")
    once = {"journal": 1, "manifest": 1, "shelf": 1}
    for word, expected in {"provision": once, "list": {**once, "lines": 1}}.items():
        done = subprocess.run(
            [sys.executable, "-c", COUNTED, word], cwd=desk.home, capture_output=True, text=True, check=False,
            env={"HOME": str(desk.home), "PATH": login_path(), "LANG": "C.UTF-8"},
        )  # fmt: skip
        assert done.returncode == 0, done.stderr
        assert done.stderr.splitlines()[-1] == str(dict(sorted(expected.items()))), word
