"""Provision, verify, undo and dismantle, as the built program on a home of its own."""

from __future__ import annotations

import functools
import hashlib
import http.server
import json
import os
import shutil
import signal
import sqlite3
import subprocess
import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest

from tests.conftest import PROGRAM, SHELLS, Desk, kelp, packed_runtime
from zesty_anchor.demo.home import likeness
from zesty_anchor.demo.wares import pack, write_runtime
from zesty_anchor.proof.judging import judge_all
from zesty_anchor.proof.question import Question
from zesty_anchor.shells.fresh import NO_ANSWER, Line, ask
from zesty_anchor.shells.known import SHELLS as KNOWN
from zesty_anchor.system.host import login_path

MORE = """
[variables]
GAUGE = "north quay, $5 a day"
KELP_AT = "{kelp}"
[path]
first = ["~/bin"]
last = ["~/late"]
[[conflicts.remove]]
path = "~/old-kelp"
[[checks]]
name = "it renders"
run = "kelp one.kelp"
expect = "high water *"
"""
BOTH = '[runtimes.kelp]\nwant = "lts"\nalso = ["3.6"]\n'

pytestmark = pytest.mark.needs("bash", "zsh")


EVERY = '[shells]\nuse = "all"\n'
ALL = ["bash", "zsh", "fish", "ksh", "mksh", "tcsh", "sh"]


def lived_in(desk: Desk) -> None:
    """A home with lines of a person's own and an old install."""
    desk.write("umask 022\n. ~/.bashrc\n", ".profile")
    desk.write('alias t=ls\nexport PATH="$HOME/old-kelp/bin:$PATH"\nexport EDITOR=vi', ".bashrc")
    desk.write('export PATH="$HOME/old-kelp/bin:$PATH"\nsetopt no_beep\n', ".zshrc")
    old = desk.write("#!/bin/sh\necho kelp 3.1.0\n", "old-kelp/bin/kelp")
    old.chmod(0o750)
    (desk.home / "old-kelp/link").symlink_to("bin")
    desk.write("say high water at noon\n", "one.kelp")


def test_from_a_fresh_home_and_back(desk: Desk) -> None:
    lived_in(desk)
    desk.wants(MORE + EVERY, BOTH)
    (desk.home / ".cache").mkdir()
    before = likeness(desk.home, (".local/state/zesty-anchor", ".cache"))
    assert desk.run("preview", "--check").code == 3
    assert desk.likeness().items() <= before.items(), "preview only looks"

    done = desk.well("provision", "--json").json
    assert done["failed"] == 0
    assert done["proof"]["ok"]
    assert done["changed"] == len(done["changes"])
    assert not (desk.home / "old-kelp").exists()
    assert (desk.home / ".bashrc").read_text().splitlines()[:2] == ["alias t=ls", "export EDITOR=vi"]
    for shell in ("bash", "zsh"):
        answer = desk.shell(
            shell, 'command -v kelp; kelp --version; printf "%s\n" "$GAUGE" "$KELP_AT" "$PATH"', "-l", "-i"
        )
        where, version, gauge, at, path = answer.splitlines()
        assert where == str(desk.shelf / "kelp/4.2.1/bin/kelp")
        assert (version, gauge, at) == ("kelp 4.2.1", "north quay, $5 a day", str(desk.shelf / "kelp/4.2.1"))
        assert path.split(":")[0] == str(desk.home / "bin")
        assert path.split(":")[-1] == str(desk.home / "late")
    assert (desk.shelf / "kelp/3.6.2/bin/kelp").is_file()

    settled = desk.likeness()
    again = desk.well("provision", "--json").json
    assert (again["changed"], again["changes"]) == (0, [])
    assert desk.likeness() == settled
    assert desk.run("preview", "--check").code == 0
    assert desk.well("verify", "--json").json["ok"]

    assert desk.well("undo", "--json").json["notices"] == []
    assert likeness(desk.home, (".local/state/zesty-anchor", ".cache")) == before
    assert desk.run("undo").code == 1
    desk.well("dismantle", "--yes")
    assert likeness(desk.home, (".cache",)) == before and not list((desk.home / ".cache").iterdir())


def test_the_shapes_of_json(desk: Desk) -> None:
    desk.wants(EVERY)
    preview = desk.well("preview", "--json").json
    assert preview["pending"] == len(preview["changes"])
    assert set(preview["changes"][0]) == {"kind", "subject", "action", "detail"}
    desk.well("provision")
    proof = desk.well("verify", "--json").json
    assert [(s["shell"], s["context"]) for s in proof["shells"]] == [
        (name, context.name) for name, shell in KNOWN.items() for context in shell.contexts
    ]
    assert set(proof["shells"][0]) == {"shell", "context", "ok", "startup_ms", "checks", "diverting"}
    assert set(proof["shells"][0]["checks"][0]) == {
        "name", "ok", "expected", "observed", "cause", "fix", "about", "before",
    }  # fmt: skip
    listed = desk.well("list", "kelp", "--json").json
    assert listed["active"] == {
        "version": "4.2.1",
        "scope": "default",
        "decided_by": "~/workstation.toml:11 (want lts)",
    }
    assert [r["version"] for r in listed["available"]][:3] == ["5.1.0-rc.1", "5.0.0", "4.2.1"]
    assert listed["installed"] == ["4.2.1"]
    found = desk.well("survey", "--json").json
    first = {(a["command"], a["shell"], a["owner"].split(" ")[0]) for a in found["answers"] if a["wins"]}
    assert first == {("kelp", shell, "zesty-anchor") for shell in ALL}
    assert "runtimes" in json.loads(desk.well("schema").out)["$defs"]["Manifest"]["properties"]


def test_a_changed_manifest_changes_only_what_differs(desk: Desk) -> None:
    desk.wants(runtimes='[runtimes.kelp]\nwant = "3.6"\n')
    desk.well("provision")
    desk.wants('[variables]\nA = "b"\n', '[runtimes.kelp]\nwant = "5"\nalso = ["3.6"]\n')
    changes = desk.well("provision", "--json").json["changes"]
    assert {(c["kind"], c["action"]) for c in changes} == {("version", "install"), ("generated-file", "edit")}
    assert desk.shell("bash", "kelp --version", "-l").strip() == "kelp 5.0.0"
    desk.well("undo")
    assert desk.shell("bash", "kelp --version", "-l").strip() == "kelp 3.6.2"


def test_a_shell_that_is_no_longer_used_loses_its_block(desk: Desk) -> None:
    desk.wants()
    desk.well("provision")
    desk.wants('[shells]\nuse = ["bash"]\n')
    desk.well("provision")
    assert (desk.home / ".zshrc").read_text() == ""
    assert not (desk.home / ".local/share/zesty-anchor/shell/environment.zsh").exists()
    assert "zesty-anchor" in (desk.home / ".bashrc").read_text()


def test_the_old_one_stays_while_the_new_one_does_not_answer(desk: Desk) -> None:
    lived_in(desk)
    desk.wants(MORE.replace("high water *", "low water *"), BOTH)
    answer = desk.run("provision")
    assert answer.code == 1
    assert "low water *" in answer.out
    assert "the old one stays" in answer.out
    assert (desk.home / "old-kelp/bin/kelp").exists()
    assert "old-kelp" in (desk.home / ".zshrc").read_text()
    assert desk.run("verify").code == 4


def test_a_statement_that_does_more_is_shown_and_stays(desk: Desk) -> None:
    lived_in(desk)
    desk.write('export PATH="$HOME/old-kelp/bin:$PATH" && export TIDE=high\n', ".bashrc")
    desk.wants(MORE, BOTH)
    assert "~/.bashrc:1" in desk.well("preview").out
    desk.well("provision")
    assert (desk.home / ".bashrc").read_text().startswith("export PATH=")


def test_undo_keeps_what_a_person_added_since(desk: Desk) -> None:
    lived_in(desk)
    desk.wants(runtimes=BOTH)
    before = desk.likeness()
    desk.well("provision")
    for name in (".bashrc", ".zshenv"):
        with (desk.home / name).open("a") as file:
            file.write("export ADDED=since\n")
    answer = desk.well("undo")
    assert "only our own part was taken out" in answer.out
    assert (desk.home / ".zshenv").read_text() == "export ADDED=since\n"
    assert (desk.home / ".bashrc").read_text().endswith("export EDITOR=vi\nexport ADDED=since\n")
    after = desk.likeness()
    assert {p for p in before.keys() | after.keys() if before.get(p) != after.get(p)} == {
        ".bashrc",
        ".zshenv",
    }


@pytest.mark.parametrize("name", ["a b", 'it\'s "quoted"', "gezeiten-häfen-潮", "dollar $HOME `x` \\"])
def test_a_home_with_an_awkward_name(desk: Desk, tmp_path: Path, name: str) -> None:
    desk.home = tmp_path / name
    desk.home.mkdir()
    lived_in(desk)
    # ksh takes the name of its own startup file for a text to be expanded, so it finds none in such a home.
    quoted = any(letter in name for letter in "'$`")
    desk.wants(MORE + (f"[shells]\nuse = {[s for s in ALL if s != 'ksh']}\n" if quoted else EVERY), BOTH)
    before = desk.likeness()
    done = desk.well("provision", "--json").json
    assert done["proof"]["ok"]
    desk.well("undo")
    assert desk.likeness() == before


def test_the_line_for_the_open_shell_works(desk: Desk) -> None:
    desk.wants()
    line = desk.well("provision", "--json").json["reload"]
    assert desk.shell("bash", f"{line}\nkelp --version", "--norc").strip() == "kelp 4.2.1"


class Dripping(http.server.SimpleHTTPRequestHandler):
    """Serves archives so slowly that a run is caught half way."""

    def copyfile(self, source: Any, outputfile: Any) -> None:
        while chunk := source.read(20_000):
            outputfile.write(chunk)
            time.sleep(0.2 if self.path.endswith(".zst") else 0)

    def log_message(self, format: str, *args: object) -> None:
        pass


@pytest.fixture
def slow_feed(tmp_path: Path) -> Iterator[str]:
    folder = tmp_path / "slow"
    folder.mkdir()
    content = pack("kelp-4.2.1", {**kelp("4.2.1"), "share/tables": (os.urandom(400_000), 0o644)}, "tar.zst")
    write_runtime(folder, "kelp", [("4.2.1", "2026-06-30", ("lts",), "any", "kelp.tar.zst", content)])
    server = http.server.ThreadingHTTPServer(
        ("127.0.0.1", 0), functools.partial(Dripping, directory=str(folder))
    )
    threading.Thread(target=server.serve_forever, args=(0.01,), daemon=True).start()
    yield f"http://127.0.0.1:{server.server_address[1]}/"
    server.shutdown()
    server.server_close()


@pytest.mark.parametrize("how", [signal.SIGINT, signal.SIGKILL])
def test_a_run_that_is_cut_off_leaves_nothing_half_done(
    desk: Desk, slow_feed: str, how: signal.Signals
) -> None:
    lived_in(desk)
    desk.wants(url=slow_feed)
    before = desk.likeness()
    running = subprocess.Popen(
        [str(PROGRAM), "provision"],
        cwd=desk.home,
        env={"HOME": str(desk.home), "PATH": login_path()},
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        text=True,
        # A shell that runs the tests in the background lets them ignore it.
        preexec_fn=lambda: signal.signal(signal.SIGINT, signal.SIG_DFL),
    )
    staging = desk.home / ".local/share/zesty-anchor/staging"
    for _ in range(2000):
        if staging.is_dir() and any(staging.iterdir()):
            break
        time.sleep(0.005)
    assert any(staging.iterdir()), "it was not caught at work"
    assert not (desk.shelf / "kelp/4.2.1").exists()
    running.send_signal(how)
    running.wait(30)
    if how is signal.SIGINT:
        assert running.returncode == 130
        assert desk.likeness() == before
    else:
        assert running.returncode == -signal.SIGKILL
        assert "interrupted: undid install kelp 4.2.1" in desk.well("provision").err
        assert not any(staging.iterdir())
        desk.well("undo")
        assert desk.likeness() == before


def test_two_at_once_do_not_mix(desk: Desk) -> None:
    import fcntl

    desk.wants()
    state = desk.home / ".local/state/zesty-anchor"
    state.mkdir(parents=True)
    with (state / "lock").open("w") as lock:
        lock.write("4711\n")
        lock.flush()
        fcntl.flock(lock, fcntl.LOCK_EX)
        answer = desk.run("provision")
    assert answer.code == 1
    assert "4711" in answer.err


def test_a_journal_of_a_newer_program_is_not_touched(desk: Desk) -> None:
    desk.wants()
    desk.well("provision")
    journal = desk.home / ".local/state/zesty-anchor/journal.db"
    base = sqlite3.connect(journal)
    base.execute("PRAGMA user_version = 99")
    base.close()
    assert "newer" in desk.run("undo").err


@pytest.mark.parametrize("damage", ["garbage", "empty", "gone"])
def test_a_journal_that_is_lost_is_made_anew(desk: Desk, damage: str) -> None:
    lived_in(desk)
    desk.wants(MORE)
    before = desk.likeness()
    desk.well("provision")
    desk.wants(MORE.replace("5 a day", "6 a day"))
    desk.well("provision")
    journal = desk.home / ".local/state/zesty-anchor/journal.db"
    journal.unlink()
    if damage != "gone":
        journal.write_bytes(b"no journal" * 1000 if damage == "garbage" else b"")
    assert desk.run("verify").code == 0, "what only reads goes on"
    answer = desk.well("undo")
    assert "the journal" in answer.err
    assert "can be undone" in answer.err
    assert journal.with_name("journal.db.unreadable-1").exists() is (damage == "garbage")
    desk.well("undo")
    desk.wants(MORE)
    assert desk.likeness() == before
    desk.well("provision")
    runs = sorted(path.name for path in (journal.parent / "attic").iterdir())
    assert runs == ["run-00003"], "no number in the attic is given twice"


def test_with_the_attic_gone_too_what_is_ours_by_itself_goes(desk: Desk) -> None:
    lived_in(desk)
    desk.wants()
    before = desk.likeness()
    desk.well("provision")
    (desk.shelf / "kelp/4.2.1/mine").write_text("mine\n")
    shutil.rmtree(desk.home / ".local/state")
    answer = desk.well("dismantle", "--yes", "--json")
    assert any("the journal was gone" in notice for notice in answer.json["notices"])
    (kept,) = (desk.home / "kept-by-zesty-anchor").glob("*-mine")
    assert kept.read_text() == "mine\n"
    shutil.rmtree(kept.parent)
    left = {name for name, (kind, _) in desk.likeness().items() - before.items() if kind.startswith("file")}
    assert left == {".bashrc"}, "which had no line end"
    assert b"zesty-anchor" not in (desk.home / ".bashrc").read_bytes(), (
        "our lines are found without a journal"
    )
    for shell in ("bash", "zsh"):
        assert desk.shell(shell, "echo well", "-i") == "well\n"


def test_a_shell_that_never_starts_is_cut_off_and_told(desk: Desk) -> None:
    desk.write("read answer\n", ".bashrc")
    asked = ask(
        KNOWN["bash"],
        SHELLS["bash"],
        KNOWN["bash"].contexts[1],
        {"HOME": str(desk.home), "PATH": login_path()},
        [Line("echo")],
        start_seconds=1,
    )
    assert asked.startup_ms is None
    assert asked.answers[0] == NO_ANSWER
    (judged,) = judge_all([Question("it speaks", "echo", "*", "glob")], {}, started=False)
    assert not judged.ok and "a startup file waits, or ended it" in judged.observed


def test_however_the_program_is_started_nothing_is_left_to_do(desk: Desk) -> None:
    """What shells read holds the words that start this program: the same ones, whichever way it was
    started.
    """
    desk.wants(EVERY)
    module = [str(PROGRAM.with_name("python")), "-m", "zesty_anchor"]
    environment = {"HOME": str(desk.home), "PATH": login_path(), "LANG": "C.UTF-8"}
    done = subprocess.run(
        [*module, "provision"], cwd=desk.home, env=environment, capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done.stdout + done.stderr
    assert desk.well("preview", "--json").json["pending"] == 0
    assert desk.well("provision", "--json").json["changed"] == 0


def test_all_is_fetched_first_and_the_rest_needs_no_network(
    desk: Desk, make_feed: Callable[..., str], tmp_path: Path
) -> None:
    """Each file is checked when it arrives; nothing is installed, and no startup file is touched."""
    names = ("oar", "tidy")
    text = 'as-root = "allowed"\n[shells]\nuse = ["bash"]\n'
    files, sums = {}, ""
    for name in names:
        files[f"{name}-1.0.tar.gz"] = packed_runtime(name, "1.0")
        sums += f"{hashlib.sha256(files[f'{name}-1.0.tar.gz']).hexdigest()}  {name}-1.0.tar.gz\n"
        text += f'[recipes.{name}]\ncommands = ["{name}"]\n[runtimes.{name}]\nwant = "1.0"\n'
    links = "".join(f'<a href="{name}">{name}</a>' for name in files)
    url = make_feed({**files, "SHA256SUMS": sums.encode(), "index.html": links.encode()})
    desk.write(text + f'[feeds.quay]\nkind = "listing"\nurl = "{url}"\n')
    shown = desk.well("provision", "--fetch-only").out
    assert shown.startswith("2 files fetched, ") and shown.endswith("To install: zesty-anchor provision\n")
    assert not desk.shelf.exists() and not (desk.home / ".bashrc").exists()
    assert "Nothing to fetch" in desk.well("provision", "--fetch-only").out
    (tmp_path / "feed0/oar-1.0.tar.gz").unlink()
    (tmp_path / "feed0/tidy-1.0.tar.gz").unlink()
    desk.well("provision", "--offline")
    assert desk.shell("bash", "oar; tidy", "-i").split() == ["oar", "1.0", "tidy", "1.0"]
    desk.well("undo")
    shutil.rmtree(desk.home / ".cache/zesty-anchor/downloads")
    (tmp_path / "feed0/oar-1.0.tar.gz").write_bytes(b"other bytes")
    failed = desk.run("provision", "--fetch-only")
    assert failed.code == 1 and "the digest differs" in failed.out and "tidy" in failed.out
    assert list((desk.home / ".cache/zesty-anchor/downloads").iterdir()) == []
    assert desk.run("provision", "--fetch-only", "--json").json["failed"] == 2
