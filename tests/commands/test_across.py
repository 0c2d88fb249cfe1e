"""One command on many machines: real sshd's and a real ssh, each machine with a home of its own."""

from __future__ import annotations

import json
import os
import shlex
import signal
import subprocess
import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from xml.etree import ElementTree

import pytest

from tests.conftest import PROGRAM, Answer, Desk, packed_runtime, processes_of
from tests.fleet import Fleet
from zesty_anchor.commands.examples import EXAMPLES
from zesty_anchor.demo.wares import pack

pytestmark = [
    pytest.mark.sees_system,
    pytest.mark.needs("bash", "ssh", "sshd"),
    pytest.mark.skipif(os.geteuid() != 0, reason="sshd is started as root, as it is meant to"),
]
SLOW = "#!/bin/sh\nwhile [ -e {gate} ]; do sleep 0.05; done\necho kelp 4.2.1\n"


@pytest.fixture
def fleet(desk: Desk, tmp_path: Path) -> Iterator[Fleet]:
    folder = tmp_path / "fleet"
    folder.mkdir()
    found = Fleet(folder, desk)
    found.add("quay-1", "quay-2", "mast-1")
    yield found
    for name in ("quay-1", "quay-2", "mast-1"):
        found.cut(name)


def wanting(desk: Desk, more: str = "") -> None:
    desk.wants(f'[shells]\nuse = ["bash"]\n{more}', '[runtimes.kelp]\nwant = "4.2"\n')


def test_machines_are_previewed_provisioned_verified_and_undone(fleet: Fleet) -> None:
    wanting(fleet.desk, '[on."host:nowhere".variables]\nGAUGE = "x"\n')
    fleet.desk.well("lock")
    names = "quay-1,quay-2,mast-1"
    seen = fleet.well(names, "preview")
    assert seen.startswith("preview on 3 hosts: 3 ok") and "3 alike: quay-1, quay-2, mast-1" in seen
    assert "kelp 4.2.1" in seen
    assert "3 ok" in fleet.well(names, "--yes", "provision")
    for name in names.split(","):
        assert fleet.told(name, "kelp --version; echo [$GAUGE]") == "kelp 4.2.1\n[]\n"
    again = fleet.well(names, "--yes", "provision")
    assert "3 alike" in again and "nothing to do" in again
    assert "checks passed" in fleet.well("quay-1,mast-1", "verify")
    assert "ok: kelp 4.2.1" in fleet.well("quay-1", "status")
    document = json.loads(fleet.well("quay-1,quay-2", "--json", "verify"))
    assert [each["host"] for each in document["hosts"]] == ["quay-1", "quay-2"]
    assert document["hosts"][0]["document"]["ok"] is True
    fleet.well(names, "--yes", "undo")
    assert fleet.told("quay-2", "kelp --version") == ""


def test_what_differs_is_told_per_machine_and_nothing_is_lost(fleet: Fleet) -> None:
    """A wrong host key, a machine that is not there, a startup file that hides the version, a full folder."""
    wanting(fleet.desk)
    fleet.add("late-1", "wrong-1")
    known = fleet.folder / "known"
    other = " ".join((fleet.folder / "other.pub").read_text().split()[:2])
    known.write_text("".join(
        f"wrong-1 {other}\n" if line.startswith("wrong-1") else f"{line}\n" for line in known.read_text().splitlines()
    ))  # fmt: skip
    with fleet.config.open("a") as config:
        config.write("Host gone-1\n  ProxyCommand false\n")
    (fleet.home("mast-1") / ".bashrc").write_text("alias kelp='echo kelp 1.0'\n")
    done = fleet.run("quay-1,quay-2,mast-1,wrong-1,gone-1", "--yes", "provision")
    assert done.code == 1
    assert "provision on 5 hosts: 1 failed, 2 unreachable, 2 ok" in done.out
    assert "2 alike: quay-1, quay-2" in done.out and "verified" in done.out
    assert "mast-1" in done.out.split("quay-1")[0], "the worst first"
    assert "kelp resolves to" in done.out or "kelp" in done.out.split("quay-1")[0]
    assert "Host key verification failed" in done.out
    assert "mast-1,wrong-1,gone-1 provision" in done.out
    known.write_text(
        known.read_text().replace(other, " ".join((fleet.folder / "host.pub").read_text().split()[:2]))
    )
    (fleet.home("mast-1") / ".bashrc").unlink()
    again = shlex.split(done.out.split("To retry: zesty-anchor ")[1])
    assert "1 unreachable, 2 ok" in fleet.desk.run(*again).out
    document = json.loads(fleet.run("quay-1,gone-1", "--json", "verify").out)
    assert [each["state"] for each in document["hosts"]] == ["ok", "unreachable"]


def test_a_machine_alone_first_and_no_further_after_too_many(fleet: Fleet) -> None:
    wanting(fleet.desk)
    with fleet.config.open("a") as config:
        config.write("Host gone-1 gone-2\n  ProxyCommand false\n")
    first = fleet.run("gone-1,quay-1,quay-2", "--first", "1", "--yes", "provision")
    assert first.code == 1 and "2 not started" in first.out and "gone-1 failed first" in first.out
    assert not list(fleet.home("quay-1").rglob("zesty-anchor/shelf"))
    stopped = fleet.run("gone-1,gone-2,quay-1", "--at-once", "1", "--stop", "50%", "--yes", "provision")
    assert stopped.code == 1 and "stopped: more than 50% failed" in stopped.out
    assert not list(fleet.home("quay-1").rglob("zesty-anchor/shelf"))


def test_a_question_is_asked_once_for_all_that_ask_the_same(fleet: Fleet) -> None:
    old = "old-kelp/bin/kelp"
    for name in ("quay-1", "quay-2"):
        file = fleet.home(name) / old
        file.parent.mkdir(parents=True)
        file.write_text("#!/bin/sh\necho kelp 1.0\n")
        file.chmod(0o755)
        (fleet.home(name) / ".bashrc").write_text('PATH="$HOME/old-kelp/bin:$PATH"\n')
    wanting(fleet.desk, '[conflicts]\npolicy = "ask"\n')
    asked = fleet.run("quay-1,quay-2,mast-1", "provision")
    assert asked.code == 1 and "2 answer needed, 1 ok" in asked.out, "the manifest alone answers that"
    assert "2 alike: quay-1, quay-2" in asked.out and "~/old-kelp" in asked.out
    assert not list(fleet.home("quay-1").rglob("zesty-anchor/shelf")), "nothing was begun there"
    for name in ("quay-1", "mast-1"):
        own = fleet.home(name) / "workstation.toml"
        own.write_text('as-root = "allowed"\n[shells]\nuse = ["bash"]\n[variables]\nDEPTH = "12"\n')
        words = [PROGRAM, "provision", "-m", own]
        environment = {"HOME": str(fleet.home(name)), "PATH": "/usr/sbin:/usr/bin:/sbin:/bin"}
        fleet.well(name, "--yes", "undo") if name == "mast-1" else None
        subprocess.run(words, env=environment, check=True, capture_output=True)
    wanting(fleet.desk)
    asked = fleet.run("quay-1,mast-1", "provision")
    assert asked.code == 5 and asked.err.count("DEPTH would go") == 1, asked.out + asked.err
    assert "2 hosts (quay-1, mast-1)" in asked.err and "--yes" in asked.err
    assert fleet.told("quay-1", "echo $DEPTH") == "12\n"
    fleet.well("quay-1,mast-1", "--yes", "provision")
    assert fleet.told("mast-1", "echo [$DEPTH]; kelp --version") == "[]\nkelp 4.2.1\n"


def test_groups_patterns_lists_and_what_is_wrong_with_them(fleet: Fleet) -> None:
    hosts = fleet.desk.write('[groups]\nquay = ["quay-1", "quay-2"]\nmast = ["mast-1"]\n', "hosts.toml")
    for words, number in (("quay", 2), ("quay-*", 2), ("quay,mast", 3), ("all", 3), ("*-1", 2)):
        done = fleet.run(words, "--hosts", str(hosts), "status")
        assert f"status on {number} hosts" in done.out, done.out + done.err
    plain = fleet.desk.write("quay-1 # the first\n\nmast-1\n", "hosts.txt")
    assert "status on 2 hosts" in fleet.run("all", "--hosts", str(plain), "status").out
    for words, what in (
        (("boat-*", "status"), "no host of a group matches 'boat-*'"),
        ((",", "status"), "no host is named"),
        (("quay-1 -oProxyCommand=x", "status"), "is not the name of a host"),
        (("quay-1", "--stop", "many", "status"), "write it as 10%"),
    ):
        wrong = fleet.run(*words)
        assert wrong.code in (1, 2) and what in wrong.out + wrong.err, wrong.out + wrong.err
    fleet.desk.write('[groups]\nquay = "quay-1"\n', "wrong.toml")
    wrong = fleet.run("quay", "--hosts", "wrong.toml", "status")
    assert wrong.code == 2 and "is not a list of hosts" in wrong.err


def test_the_examples_do_what_they_say(fleet: Fleet) -> None:
    wanting(fleet.desk)
    fleet.desk.well("lock")
    fleet.desk.write('[groups]\nquay = ["quay-1", "quay-2"]\n', "hosts.toml")
    for example, _ in EXAMPLES["across"]:
        _, _, hosts, *words = example.split()
        fleet.well(hosts, *words)


def slow_kelp(fleet: Fleet, make_feed: Callable[..., str], gate: Path) -> None:
    """A manifest whose kelp answers only once ``gate`` is gone."""
    import hashlib

    archive = pack("kelp-4.2.1", {"bin/kelp": (SLOW.format(gate=gate).encode(), 0o755)}, "tar.gz")
    file = {"platform": "any", "url": "kelp.tgz", "sha256": hashlib.sha256(archive).hexdigest()}
    release = {"version": "4.2.1", "files": [file]}
    document = {"format": "zesty-anchor-index/1", "runtime": "kelp", "releases": [release]}
    url = make_feed({"kelp.tgz": archive, "kelp.json": json.dumps(document).encode()})
    fleet.desk.wants('[shells]\nuse = ["bash"]\n', '[runtimes.kelp]\nwant = "4.2"\n', url=url)


def until(true: Callable[[], object], what: str) -> None:
    for _ in range(600):
        if true():
            return
        time.sleep(0.05)
    pytest.fail(what)


def test_work_goes_on_where_the_connection_is_cut(
    fleet: Fleet, make_feed: Callable[..., str], tmp_path: Path
) -> None:
    gate = tmp_path / "gate"
    gate.touch()
    slow_kelp(fleet, make_feed, gate)
    found: list[Answer] = []
    work = threading.Thread(target=lambda: found.append(fleet.run("quay-1", "--yes", "provision")))
    work.start()
    until(lambda: list(fleet.home("quay-1").rglob("shelf/kelp/4.2.1")), "it was never installed")
    fleet.cut("quay-1")
    time.sleep(0.5)
    fleet.cut("quay-1")
    gate.unlink()
    work.join(60)
    assert found and found[0].code == 0, found
    assert "verified" in found[0].out
    assert fleet.told("quay-1", "kelp --version") == "kelp 4.2.1\n"


def test_the_next_call_finds_work_that_was_left(
    fleet: Fleet, make_feed: Callable[..., str], tmp_path: Path
) -> None:
    """This program is killed, and the work there goes on: it is not begun a second time."""
    gate = tmp_path / "gate"
    gate.touch()
    slow_kelp(fleet, make_feed, gate)
    words = [PROGRAM, "across", "--ssh-config", fleet.config, "quay-1", "--yes", "provision"]
    environment = {"HOME": str(fleet.desk.home), "PATH": "/usr/sbin:/usr/bin:/sbin:/bin"}
    pipe = subprocess.DEVNULL
    with subprocess.Popen(words, cwd=fleet.desk.home, env=environment, stdout=pipe, stderr=pipe) as running:
        until(lambda: list(fleet.home("quay-1").rglob("shelf/kelp/4.2.1")), "it was never installed")
        running.send_signal(signal.SIGKILL)
        running.wait()
    other = fleet.run("quay-1", "--yes", "undo")
    assert other.code == 1 and "another across command is still running" in other.out
    gate.unlink()
    done = fleet.well("quay-1", "--yes", "provision")
    assert "changes done, verified" in done, "what was left is fetched, and not done again"
    runs = json.loads(fleet.well("quay-1", "--json", "status"))["hosts"][0]["document"]["run"]
    assert runs == 1
    until(lambda: not processes_of(fleet.home("quay-1")), "something stayed behind")


def test_downloads_are_sent_and_a_page_and_junit_are_written(
    fleet: Fleet, offer: Callable[..., str], tmp_path: Path
) -> None:
    url = offer(packed_runtime("kelp", "4.2.1"))
    fleet.desk.wants('[shells]\nuse = ["bash"]\n', '[runtimes.kelp]\nwant = "4"\n', url=url)
    fleet.desk.well("lock")
    fleet.desk.well("provision")
    for file in next(each.parent for each in tmp_path.rglob("kelp.json")).iterdir():
        file.unlink()
    report, junit = fleet.desk.home / "page.html", fleet.desk.home / "desk.xml"
    assert fleet.run("quay-1", "--yes", "provision").code == 1, "nobody has it any more"
    done = fleet.run(
        "quay-1,quay-2,gone", "--share", "--report", str(report), "--junit", str(junit), "--yes", "provision"
    )
    assert "2 alike: quay-1, quay-2" in done.out and "verified" in done.out, done.out + done.err
    suite = ElementTree.parse(junit).getroot()[0]
    assert suite.attrib["tests"] == "3" and suite.attrib["failures"] == "1"
    page = report.read_text()
    assert "2 of 3 ok" in page and page.count('<th scope="row">') == 3


def test_the_program_in_one_file_is_sent_where_it_is_named(fleet: Fleet) -> None:
    wanting(fleet.desk)
    single = fleet.desk.write(f'#!/bin/sh\nexec {PROGRAM} "$@"\n', "zesty-anchor-linux")
    done = fleet.run("quay-1", "--send", str(single), "--yes", "provision")
    assert "1 ok" in done.out and done.code == 0, done.out + done.err
    (sent,) = fleet.home("quay-1").glob(".local/share/zesty-anchor-across/program-*/bin/zesty-anchor")
    assert sent.read_text() == single.read_text() and os.access(sent, os.X_OK)
    assert "1 ok" in fleet.well("quay-1", "--send", str(single), "--yes", "undo")
    assert fleet.run("quay-1", "--send", str(fleet.desk.home / "none"), "verify").code == 2


def test_the_page_of_each_machine_and_one_that_leads_to_them(fleet: Fleet) -> None:
    wanting(fleet.desk)
    fleet.well("quay-1,quay-2", "--yes", "provision")
    folder = fleet.desk.home / "pages"
    done = fleet.run("quay-1,quay-2,gone", "report", str(folder))
    assert done.code == 1 and "1 unreachable, 2 ok" in done.out, done.out + done.err
    assert "all checks passed; " in done.out
    assert f"gone report {folder}" in done.out, "a retry has its folder"
    page = (folder / "quay-1.html").read_text()
    assert "All checks passed" in page and "kelp" in page
    index = (folder / "index.html").read_text()
    assert '<a href="quay-1.html">quay-1</a>' in index and '<th scope="row">gone</th>' in index
    assert fleet.run("quay-1", "report", str(folder)).code == 0, "ours are written anew"
    (folder / "quay-1.html").write_text("mine")
    refused = fleet.run("quay-1", "report", str(folder))
    assert refused.code == 2 and "is not a report" in refused.err
    assert (folder / "quay-1.html").read_text() == "mine"
    assert "report needs a folder" in fleet.run("quay-1", "report").err


def test_which_machines_differ_from_the_lock_and_from_each_other(fleet: Fleet) -> None:
    wanting(fleet.desk)
    fleet.desk.well("lock")
    fleet.well("quay-1,quay-2", "--yes", "provision")
    done = fleet.run("quay-1,quay-2,mast-1", "diff")
    assert done.code == 1
    assert "kelp not installed (lock: 4.2.1)" in done.out and "matches the lock" in done.out
    assert "diff on 3 hosts: 1 failed, 2 ok" in done.out


def test_a_manifest_that_was_edited_there_is_not_overwritten(fleet: Fleet) -> None:
    wanting(fleet.desk)
    fleet.well("quay-1", "--yes", "provision")
    there = next(fleet.home("quay-1").rglob("desk/workstation.toml"))
    there.write_text(there.read_text() + '\n[variables]\nTHEIRS = "1"\n')
    refused = fleet.run("quay-1", "--yes", "provision")
    assert refused.code == 1 and "was edited since" in refused.out
    assert "THEIRS" in there.read_text()


def test_bases_and_keys_come_along(fleet: Fleet) -> None:
    wanting(fleet.desk)
    team = fleet.desk.home / "team"
    team.mkdir()
    fleet.desk.manifest.rename(team / "workstation.toml")
    fleet.desk.write('base = "team/workstation.toml"\n[variables]\nGAUGE = "north"\n')
    fleet.well("quay-1", "--yes", "--trust", "workstation.toml", "provision")
    assert fleet.told("quay-1", 'kelp --version; echo "$GAUGE"') == "kelp 4.2.1\nnorth\n"
    assert "base = " in next(fleet.home("quay-1").rglob("desk/workstation.toml")).read_text()
