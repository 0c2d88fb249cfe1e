"""What people type after the first install, on an untouched Debian as its user, from the real registries.

Run by scripts/fresh-machine next. The authority that vouches for the network is known to the system's store
alone, as in a company.
"""

from __future__ import annotations

import re

import pytest

from tests.feeds.test_trust import secured
from tests.fresh_machine.test_first import Untouched, commands, untouched
from tests.fresh_machine.test_fresh_machine import PASSWORD

__all__ = ["secured", "untouched"]

pytestmark = [pytest.mark.scratch, pytest.mark.network]

MANIFEST = """
[trust]
system = true

[runtimes.node]
want = "lts"

[runtimes.java]
want = "17"
"""
CHECKS = """
[[checks]]
name = "a jar runs"
run = "java -jar ~/jar/tide.jar"
expect = "42"

[[checks]]
name = "the page is built"
run = "test -s ~/web/tide/dist/index.html && echo built"
expect = "built"
"""
TYPED = {
    "versions": "node -v; npm -v; npx -v; java -version 2>&1 | head -1",
    "a generator": "mkdir -p ~/web && cd ~/web && npm create --yes vite@latest tide -- --template vanilla </dev/null",
    "its packages": "cd ~/web/tide && npm install && npm run build",
    "a global package": "npm install -g serve && command -v serve",
    "a page on a port": (
        "cd ~/web/tide; serve -l 5080 dist >/dev/null 2>&1 & sleep 3;"
        " node -e 'fetch(\"http://127.0.0.1:5080/\").then(r => r.text()).then(t => console.log(t.slice(0, 15)))';"
        " kill %1 2>/dev/null || :"
    ),
    "a jar": (
        "mkdir -p ~/jar && cd ~/jar && echo 'public class T { public static void main(String[] a) {"
        " System.out.println(6 * 7); } }' >T.java && javac T.java && jar cfe tide.jar T T.class && java -jar tide.jar"
    ),
}
SAYS = {
    "versions": r"^v\d+\.\d+\.\d+\n\d+\.\d+\.\d+\n\d+\.\d+\.\d+\nopenjdk version \"17\.",
    "a generator": r"npm install",
    "its packages": r"built in",
    "a global package": r"/home/tide/\.local/share/zesty-anchor/",
    "a page on a port": r"<!doctype html>",
    "a jar": r"^42$",
}


def test_next_what_people_type(untouched: Untouched) -> None:
    for line in commands()[:3]:
        code, shown, _ = untouched.person("bash", "-c", line, passwords=(PASSWORD, PASSWORD))
        assert code == 0, f"{line}\n{shown}"
    manifest = untouched.home / "workstation.toml"
    manifest.write_text(MANIFEST)
    code, shown, _ = untouched.person(
        "zesty-anchor", "provision", "--yes", "--trust", "workstation.toml", passwords=(PASSWORD,)
    )
    assert code == 0, shown
    for what, line in TYPED.items():
        told = untouched.fresh("bash", line)
        print(what, told)
        assert re.search(SAYS[what], told, re.MULTILINE), (what, told)
    manifest.write_text(MANIFEST + CHECKS)
    code, shown, _ = untouched.person("zesty-anchor", "provision", "--yes", "--trust", "workstation.toml")
    assert code == 0, shown
    code, shown, _ = untouched.person("zesty-anchor", "verify", "--online", "-v")
    assert code == 0 and "node's package tool fetches a package" in shown, shown
    code, shown, _ = untouched.person("zesty-anchor", "list", "node", "-v")
    assert "you installed serve@" in shown
