"""Runtimes built from Debian's sources on an untouched Debian, by its user: one manifest, forty minutes on
two processors.

Run by scripts/fresh-machine built; the newer lines of two of them by scripts/fresh-machine newer. What each
build needs comes as packages, with one password.
"""

from __future__ import annotations

import json
import re
import shutil
import time

import pytest

from tests.fresh_machine.test_first import Untouched, commands, secured, untouched
from tests.fresh_machine.test_fresh_machine import PASSWORD
from zesty_anchor.demo.home import likeness

__all__ = ["secured", "untouched"]

pytestmark = [pytest.mark.scratch, pytest.mark.network]

Home = dict[str, tuple[str, str]]
"""Each file of a home, as ``likeness`` tells it."""

MANIFEST = """
[shells]
use = ["bash", "zsh", "fish"]

[prerequisites]
packages.debian = ["fish"]

[runtimes.python]
want = "3.11"
also = ["3.13"]

[runtimes.ruby]
want = "latest"

[runtimes.lua]
want = "5.4.4"
also = ["5.3"]

[runtimes.perl]
want = "5.36"

[runtimes.erlang]
want = "25"

[runtimes.elixir]
want = "latest"

[runtimes.php]
want = "8.2.32"
build.options = ["intl"]
"""
ASKED = {
    "python3 --version": r"^Python 3\.11\.\d+$",
    "python3 -c 'import ssl, sqlite3, readline, zlib, bz2, lzma, ctypes, curses, uuid; print(6 * 7)'": "^42$",
    "pip --version": r"^pip \d",
    "cd (mktemp -d) && python3 -m venv quay && quay/bin/python -c 'print(6 * 7)'": "^42$",
    "ruby --version": r"^ruby \d",
    'ruby -e \'require "openssl"; require "psych"; require "zlib"; puts 6 * 7\'': "^42$",
    "gem --version && bundle --version && irb --version": "Bundler version",
    "lua -v": r"^Lua 5\.4\.4",
    "perl -e 'print 6 * 7, \" $^V\\n\"'": r"^42 v5\.36",
    "erl -noshell -eval 'crypto:start(), io:put_chars([\"42\"]), halt().'": "^42",
    "elixir -e 'IO.puts(6 * 7)' && mix --version": r"^42(.|\n)*Mix \d",
    'php -r \'echo extension_loaded("intl") ? 6 * 7 : 0, "\\n";\'': "^42$",
}
NEWER = """
[shells]
use = ["bash", "zsh", "fish"]

[prerequisites]
packages.debian = ["fish"]

[runtimes.perl]
want = "5.40"

[runtimes.erlang]
want = "27"
"""
ASKED_OF_NEWER = {
    "perl -e 'print 6 * 7, \" $^V\n\"'": r"^42 v5\.40",
    "erl -noshell -eval 'crypto:start(), io:put_chars([\"42 \", erlang:system_info(otp_release)]), halt().'": (
        "^42 27"
    ),
}
OTHERS = {
    "python=3.13": ("python3", "-c", "import ssl, sqlite3, readline, bz2, lzma, sys; print(sys.version)"),
    "lua=5.3": ("lua", "-v"),
}
STATE = (
    ".local/state/zesty-anchor",
    ".cache",
    "desk",
    ".local/zesty-anchor",
    ".sudo_as_admin_successful",
    ".config/fish/fish_variables",
    ".local/share/fish",
)


def provision(machine: Untouched, *more: str) -> str:
    """Provision as a person who types the password, and say how long it took."""
    began = time.monotonic()
    words = ("zesty-anchor", "provision", *more)
    code, shown, _ = machine.person(*words, passwords=(PASSWORD, PASSWORD), patience=4 * 3600)
    print(f"{' '.join(words)}: {time.monotonic() - began:.0f} s")
    assert code == 0, shown[-4000:]
    return shown


def carried_out(machine: Untouched, manifest: str, asked: dict[str, str]) -> tuple[Home, set[str]]:
    """Install the program, provision, ask in three shells, provision and verify again. Returns the home and
    the packages as they were before the first provisioning.
    """
    for line in commands()[:3]:
        code, shown, _ = machine.person("bash", "-c", line, passwords=(PASSWORD,))
        assert code == 0, f"{line}\n{shown}"
    (machine.home / "workstation.toml").write_text(manifest)
    before = likeness(machine.home, STATE), machine.packages()
    provision(machine)
    for shell in ("bash", "zsh", "fish"):
        for script, expected in asked.items():
            told = machine.fresh(shell, script if shell == "fish" else script.replace("cd (mk", "cd $(mk"))
            assert re.search(expected, told, re.MULTILINE), (shell, script, told)
    assert "Nothing to do" in provision(machine)
    code, shown, _ = machine.person("zesty-anchor", "verify")
    assert code == 0 and "checks passed" in shown
    return before


def taken_back(machine: Untouched, before: Home, packages: set[str]) -> None:
    """Undo, after which home and packages are as they were."""
    code, shown, _ = machine.person("zesty-anchor", "undo", passwords=(PASSWORD, PASSWORD))
    assert code == 0, shown
    after = likeness(machine.home, STATE)
    assert {name: after.get(name) for name in {*before, *after} if before.get(name) != after.get(name)} == {}
    assert machine.packages() == packages


def test_built_runtimes_of_one_manifest(untouched: Untouched) -> None:
    before = carried_out(untouched, MANIFEST, ASKED)
    for version, command in OTHERS.items():
        code, shown, _ = untouched.person("zesty-anchor", "with", version, "--", *command)
        assert code == 0 and version.partition("=")[2] in shown
    _second_home(untouched)
    taken_back(untouched, *before)


def test_newer_lines_of_those(untouched: Untouched) -> None:
    before = carried_out(untouched, NEWER, ASKED_OF_NEWER)
    taken_back(untouched, *before)


def _second_home(machine: Untouched) -> None:
    """Another home of the same user with the same cache: from the kept builds, and proved."""
    text = re.sub(r"\[runtimes\.(lua|php)\](\n[^[].*)*\n", "", MANIFEST)
    second = machine.home / "second"
    second.mkdir()
    (second / "workstation.toml").write_text(text)
    machine.inside("chown", "-R", "tide:tide", "/home/tide/second")
    script = "export XDG_CACHE_HOME=$HOME/.cache HOME=/home/tide/second; cd && zesty-anchor provision --json"
    began = time.monotonic()
    done = machine.alone("bash", "-c", script)
    print(f"the second home, seven versions from kept builds: {time.monotonic() - began:.0f} s")
    assert done.returncode == 0, done.stdout[-4000:] + done.stderr[-4000:]
    assert json.loads(done.stdout)["proof"]["ok"]
    shutil.rmtree(second)
