"""verify, as the built program: the checks of a manifest, what is told apart, who steers it, and what is left
of it.
"""

from __future__ import annotations

import http.server
import os
import signal
import socket
import subprocess
import threading
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any
from xml.etree import ElementTree

import pytest

from tests.commands.conftest import BOTH, MORE
from tests.conftest import PROGRAM, Desk, packed_runtime, until
from zesty_anchor.system.host import login_path

TWO = '\n[shells]\nuse = ["bash", "sh"]\n'


@pytest.fixture
def provisioned(desk: Desk) -> Desk:
    desk.wants(TWO)
    desk.well("provision")
    return desk


def checked(desk: Desk, *checks: str) -> dict[str, list[Any]]:
    """What came of checks, by their names: one a start."""
    desk.wants(TWO + "".join(f"[[checks]]\n{check}\n" for check in checks))
    found: dict[str, list[Any]] = {}
    for shell in desk.run("verify", "--json").json["shells"]:
        for check in shell["checks"]:
            found.setdefault(check["name"], []).append(
                {**check, "shell": shell["shell"], "context": shell["context"]}
            )
    return found


SAYS = {
    "a pattern": ('run = "echo high water"', 'expect = "high *"', 'expect = "low *"'),
    "a regular expression": ('run = "echo high 2.4 m"', "match = '\\d\\.\\d m$'", "match = '^\\d'"),
    "a status": ('run = "exit 3"', "status = 3", "status = 0"),
    "no status but 0": ('run = "true"', 'expect = ""', 'expect = "?*"'),
    "an error": ('run = "echo low >&2"', 'error = "low"', 'error = "high"'),
    "a trailing blank": ("run = 'printf \"3 \"'", 'expect = "3 "', 'expect = "3"'),
    "a file": ('file = "readings"', 'expect = "high *"', 'expect = "low *"'),
    "a file that is there": ('file = "readings"', "", 'match = "^low"'),
}


@pytest.mark.parametrize("case", SAYS)
def test_a_check_says_yes_and_no(provisioned: Desk, case: str) -> None:
    provisioned.write("high water\n", "readings")
    run, well, wrong = SAYS[case]
    found = checked(provisioned, f'name = "well"\n{run}\n{well}', f'name = "wrong"\n{run}\n{wrong}')
    assert all(each["ok"] for each in found["well"]), found["well"]
    assert not any(each["ok"] for each in found["wrong"])
    assert all(each["fix"] and each["cause"] for each in found["wrong"])


def test_a_check_that_is_not_there_or_not_reached(provisioned: Desk) -> None:
    found = checked(
        provisioned, 'name = "file"\nfile = "no-such"', 'name = "command"\nrun = "no-such-command"'
    )
    assert "No such file" in found["file"][0]["observed"]
    assert found["command"][0]["cause"]["what"] == "nothing on PATH is called no-such-command"


def test_a_pattern_that_could_be_misread_is_explained(provisioned: Desk) -> None:
    found = checked(provisioned, 'name = "brackets"\nrun = "echo \'[ok] 3\'"\nexpect = "[ok] 3"\nonce = true')
    (only,) = found["brackets"]
    assert not only["ok"] and only["observed"] == "[ok] 3"
    assert "[ok] matches one letter" in only["expected"]


def test_where_a_check_is_asked(provisioned: Desk) -> None:
    found = checked(
        provisioned,
        'name = "bash alone"\nrun = "true"\nshells = ["bash"]',
        'name = "once"\nrun = "true"\nonce = true',
    )
    assert {each["shell"] for each in found["bash alone"]} == {"bash"} and len(found["bash alone"]) == 4
    assert len(found["once"]) == 1


def test_a_check_is_bounded(provisioned: Desk, tmp_path: Path) -> None:
    """In time, in what it prints, and in what it leaves at work; its input is empty."""
    began = time.monotonic()
    leaves = f"sleep 987 & echo $! >{tmp_path}/left; setsid sleep 988 & echo done"
    found = checked(
        provisioned,
        'name = "hangs"\nrun = "echo begun; sleep 986"\nseconds = 1\nonce = true',
        'name = "prints"\nrun = "yes"\nonce = true',
        f"name = 'leaves'\nrun = '''{leaves}'''\nexpect = 'done'\nonce = true",
        'name = "reads"\nrun = "cat; echo end"\nexpect = "end"\nonce = true',
        'name = "shows"\nrun = "printf \'\\\\033[2Jx\'"\nexpect = "y"\nonce = true',
        'name = "goes on"\nrun = "echo here"\nexpect = "here"\nonce = true',
    )
    assert time.monotonic() - began < 60
    assert (
        "did not end within 1 s" in found["hangs"][0]["observed"] and "begun" in found["hangs"][0]["observed"]
    )
    assert "more than 1 MB" in found["prints"][0]["observed"]
    assert found["leaves"][0]["ok"] and found["reads"][0]["ok"] and found["goes on"][0]["ok"]
    assert "\x1b" not in provisioned.run("verify").out
    shown = subprocess.run(["ps", "-eo", "args"], capture_output=True, text=True, check=True).stdout
    assert not any(f"sleep {number}" in shown for number in (986, 987, 988))


class _Answers(http.server.BaseHTTPRequestHandler):
    def do_GET(self) -> None:
        self.send_response(200 if self.path == "/tides" else 404)
        self.end_headers()
        self.wfile.write(b"high water\n")

    def log_message(self, *words: Any) -> None:
        pass


@pytest.fixture
def answering() -> Iterator[int]:
    server = http.server.ThreadingHTTPServer(("127.0.0.1", 0), _Answers)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    yield server.server_address[1]
    server.shutdown()
    server.server_close()


def test_ports_and_addresses(provisioned: Desk, answering: int) -> None:
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        closed = free.getsockname()[1]
    url = f"http://127.0.0.1:{answering}"
    found = checked(
        provisioned,
        f'name = "port"\nport = {answering}',
        f'name = "no port"\nport = {closed}',
        f'name = "url"\nurl = "{url}/tides"\nexpect = "high *"',
        f'name = "status"\nurl = "{url}/other"\nstatus = 404',
        f'name = "other"\nurl = "{url}/other"',
        f'name = "nobody"\nurl = "http://127.0.0.1:{closed}/"',
    )
    asked = {"port", "no port", "url", "status", "other", "nobody"}
    assert {name for name in asked if not found[name][0]["ok"]} == {"no port", "other", "nobody"}
    assert all(len(found[name]) == 1 and found[name][0]["shell"] == "this machine" for name in asked)
    provisioned.wants(TWO + '[[checks]]\nname = "away"\nurl = "http://tide.example/"\n')
    refused = provisioned.run("verify")
    assert refused.code == 2 and "which nothing else in this manifest names" in refused.err


def test_three_words_for_three_things(desk: Desk) -> None:
    desk.wants(TWO)
    first = desk.run("verify", "--json").json
    assert (first["state"], first["exit"]) == ("pending", 3)
    desk.well("provision")
    assert desk.well("verify", "--json").json["state"] == "ok"
    desk.wants(TWO, BOTH)
    more = desk.run("verify", "--json")
    assert (more.code, more.json["state"]) == (3, "pending")
    assert {each["subject"] for each in more.json["drift"]} == {"kelp 3.6", "kelp 4.1"}
    assert any(each["checks"] and each["ok"] for each in more.json["shells"]), (
        "the rest is proved all the same"
    )
    desk.wants(TWO)
    (desk.home / ".local/share/zesty-anchor/bin/kelp").unlink()
    altered = desk.run("verify", "--json")
    assert (altered.code, altered.json["state"]) == (6, "changed")
    assert "not as they were written" in desk.run("verify").out
    (desk.home / ".bashrc").write_text("")
    assert (desk.run("verify").code, desk.run("verify", "--json").json["state"]) == (4, "failing")


def test_all_well_is_three_lines(provisioned: Desk) -> None:
    told = provisioned.well("verify").out
    assert told.startswith("All ") and told.count("\n") == 3
    whole = provisioned.well("verify", "-v").out
    assert "kelp is found" in whole and whole.startswith("All ")
    assert provisioned.well("verify", "--quiet").out == ""
    only = provisioned.well("verify", "--only", "found", "--shell", "bash", "--json").json
    assert {shell["shell"] for shell in only["shells"]} == {"bash"}
    assert {check["name"] for shell in only["shells"] for check in shell["checks"]} == {"kelp is found"}


@pytest.mark.parametrize("words", [("--only", "ebb tide"), ("--shell", "fish")])
def test_nothing_that_was_asked_is_not_well(provisioned: Desk, words: tuple[str, ...]) -> None:
    refused = provisioned.run("verify", *words)
    assert refused.code == 2 and "no check is left" in refused.err and "passed" not in refused.out


def test_errors_are_a_document_too(desk: Desk) -> None:
    desk.write("runtimes = 4\n")
    told = desk.run("verify", "--json")
    assert told.code == 2 and told.json["code"] == 2 and told.json["errors"]


def test_junit(provisioned: Desk) -> None:
    """Read by a reader of others as well."""
    import junitparser

    provisioned.write("alias kelp='true \x1b'\n" + (provisioned.home / ".bashrc").read_text(), ".bashrc")
    assert provisioned.run("verify", "--junit", "out.xml").code == 4
    file = provisioned.home / "out.xml"
    read = junitparser.JUnitXml.fromfile(str(file))
    failed = [case for suite in read for case in suite if case.result]
    assert read.failures == len(failed) > 0 and read.tests == sum(suite.tests for suite in read)
    text = failed[0].result[0].text
    assert "cause: ~/.bashrc:1" in text and "fix: delete ~/.bashrc:1" in text
    assert ElementTree.parse(file).getroot().tag == "testsuites"


def test_whoever_calls_does_not_steer(provisioned: Desk) -> None:
    """Neither by its environment nor by its umask, its limits or the signals that it has ignored."""
    trap = provisioned.write("export PATH=/nowhere GAUGE=south\n", "trap/.zshrc")
    (trap.parent / ".zshenv").write_text(trap.read_text())
    run = "umask; ulimit -f; sh -c 'kill -INT $$; echo ignored'; true"
    check = (
        f'[[checks]]\nname = \'as a login\'\nrun = """{run}"""\nonce = true\nmatch ='
        " '^0*22\\s+unlimited$'\n"
    )
    provisioned.wants('\n[shells]\nuse = "all"\n' + check)
    provisioned.run("provision")
    calls = f"ulimit -S -f 100000; umask 077; trap '' INT HUP; exec {PROGRAM} verify --json"
    hostile = {"ENV": str(trap), "ZDOTDIR": str(trap.parent), "BASH_ENV": str(trap), "IFS": "e", "PS4": "x"}
    given = " ".join(f"{name}={value}" for name, value in hostile.items())
    done = subprocess.run(
        ["/bin/sh", "-c", f'env {given} sh -c "{calls}"'], cwd=provisioned.home, capture_output=True,
        text=True, check=False,
        env={"HOME": str(provisioned.home), "PATH": login_path()},
    )  # fmt: skip
    assert done.returncode == 0, done.stdout[-3000:] + done.stderr


@pytest.mark.needs("zsh")
def test_a_login_that_gives_zdotdir_is_asked_so(desk: Desk) -> None:
    """environment.d(5) says it; both folders get our line, and zsh is asked with it."""
    desk.write(f"ZDOTDIR={desk.home}/z\n", ".config/environment.d/10-mine.conf")
    (desk.home / "z").mkdir()
    desk.wants('[shells]\nuse = ["zsh"]\n')
    desk.well("provision")
    for name in (".zshenv", ".zshrc", "z/.zshenv", "z/.zshrc"):
        assert "zesty-anchor block" in (desk.home / name).read_text()
    (desk.home / "z/.zshrc").write_text("kelp() { true; }\n")
    broken = desk.run("verify", "--json")
    assert broken.code == 4
    causes = {c["cause"]["file"] for s in broken.json["shells"] for c in s["checks"] if not c["ok"]}
    assert causes == {"~/z/.zshrc"}


def test_ctrl_c_ends_it_in_a_second(desk: Desk) -> None:
    desk.wants(TWO)
    desk.well("provision")
    # Other tests may have their own sleep: it is told by this home.
    desk.write("echo $$ >>~/at\nsleep 50\n" + (desk.home / ".bashrc").read_text(), ".bashrc")
    running = subprocess.Popen(
        [PROGRAM, "verify"], cwd=desk.home, env={"HOME": str(desk.home), "PATH": login_path()},
        stdout=subprocess.PIPE, stderr=subprocess.PIPE, preexec_fn=lambda: signal.signal(signal.SIGINT,
        signal.SIG_DFL),
    )  # fmt: skip
    at = desk.home / "at"

    def waiting() -> list[str]:
        return [process for process in at.read_text().split() if Path("/proc", process).exists()]

    assert until(lambda: at.exists() and bool(waiting()))
    began = time.monotonic()
    running.send_signal(signal.SIGINT)
    running.wait(20)
    assert running.returncode == 130 and time.monotonic() - began < 3
    assert until(lambda: not waiting(), 3)
    assert os.path.exists(desk.manifest)


def test_what_a_manifest_asks_of_all_shells_is_in_more(desk: Desk) -> None:
    """MORE has a variable in every shell: it is the same bytes in each of them."""
    desk.wants(MORE, BOTH)
    desk.well("provision")
    proof = desk.well("verify", "--json").json
    values = {c["observed"] for s in proof["shells"] for c in s["checks"] if c["name"] == "$GAUGE"}
    assert values == {"north quay, $5 a day"}


@pytest.mark.needs("bash", "zsh")
def test_shells_with_the_same_environment_run_a_command_once(desk: Desk) -> None:
    """What an answer hangs on is the same in them; only where a start is asked differs."""
    (desk.home / "feed").mkdir()
    counting = f"1.0; echo run >>{desk.home}/count"
    (desk.home / "feed/tidy-1.0.tar.gz").write_bytes(packed_runtime("tidy", "1.0", counting))
    desk.write(
        'as-root = "allowed"\n[shells]\nuse = ["bash", "zsh"]\n'
        f'[feeds.quay]\nkind = "folder"\nurl = "{desk.home}/feed"\n[recipes.tidy]\ncommands = ["tidy"]\n'
        '[recipes.tidy.version]\nrun = "tidy"\nexpect = "tidy {version}"\n'
        '[runtimes.tidy]\nwant = "1.0"\nunpinned = "accepted"\n'
    )
    desk.well("provision")
    (desk.home / "count").unlink()
    starts = len(desk.well("verify", "--json").json["shells"])
    assert starts >= 8 and len((desk.home / "count").read_text().splitlines()) <= starts / 2
