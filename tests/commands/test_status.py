"""What is installed, what has changed since, and what waits, from what is on disk alone."""

from __future__ import annotations

import shutil
import sqlite3
import time

import pytest

from tests.conftest import Answer, Desk

pytestmark = pytest.mark.needs("bash", "zsh")


def status(desk: Desk, code: int) -> Answer:
    answer = desk.run("status", "--json")
    assert answer.code == answer.json["exit"] == code, answer.out + answer.err
    return answer


def test_a_home_without_a_run_says_how_to_begin(desk: Desk) -> None:
    assert status(desk, 3).json["run"] == 0
    shown = desk.run("status")
    assert shown.code == 3
    assert shown.out.splitlines() == [
        "Nothing was provisioned in this home yet.",
        "Next: zesty-anchor draft",
    ]
    desk.wants('[shells]\nuse = ["bash"]\n')
    assert desk.run("status").out.splitlines()[-1] == "Next: zesty-anchor preview"
    assert status(desk, 3).json["manifest"] == "~/workstation.toml"
    assert not (desk.home / ".local/state/zesty-anchor").exists()


def test_what_stands_and_what_somebody_changed_since(desk: Desk) -> None:
    desk.wants('[shells]\nuse = ["bash", "zsh"]\n', '[runtimes.kelp]\nwant = "4.2.1"\nalso = ["3.6.2"]\n')
    desk.well("provision")
    seen = status(desk, 0).json
    assert seen["versions"] == {"kelp": "4.2.1"} and seen["shells"] == ["bash", "zsh"]
    assert 0 < seen["at"] <= seen["verified_at"] and seen["free"] > 0
    assert desk.well("status").out.startswith(
        "Unchanged since provisioning: ~/workstation.toml (run 1, just now).\n"
    )
    assert desk.well("status", "--quiet").out == ""

    startup = desk.home / ".bashrc"
    ours = startup.read_bytes()
    startup.write_bytes(ours + b"alias tide='tide -v'\n")
    status(desk, 0)
    startup.write_bytes(b"\n".join(line for line in ours.split(b"\n") if b"zesty-anchor" not in line))
    generated = desk.home / ".local/share/zesty-anchor/shell/follow.zsh"
    generated.write_bytes(generated.read_bytes() + b"# mine\n")
    shutil.rmtree(desk.shelf / "kelp/3.6.2")
    changed = {each["place"]: each["what"] for each in status(desk, 6).json["changed"]}
    assert changed == {
        "~/.bashrc": "its zesty-anchor line is gone",
        "~/.local/share/zesty-anchor/shell/follow.zsh": "changed since installation",
        "~/.local/share/zesty-anchor/shelf/kelp/3.6.2": "kelp 3.6.2 is gone",
    }
    assert desk.run("status", "-q").out.splitlines()[-1] == "Next: zesty-anchor provision"
    desk.well("provision", "--yes")
    status(desk, 0)


def test_a_changed_manifest_waits_and_an_undone_run_does_not_count(desk: Desk) -> None:
    desk.wants()
    desk.well("provision")
    first = desk.manifest.read_text()
    desk.write(first + "[variables]\nTIDE = 'high'\n")
    (pending,) = status(desk, 3).json["pending"]
    assert pending == "~/workstation.toml was changed since run 1"
    desk.well("provision")
    assert status(desk, 0).json["run"] == 2
    desk.well("undo")
    assert status(desk, 3).json["run"] == 1
    desk.write(first)
    status(desk, 0)
    desk.manifest.unlink()
    assert status(desk, 3).json["pending"] == ["~/workstation.toml is gone"]


def test_a_check_that_failed_last_time_is_named(desk: Desk) -> None:
    desk.wants('[shells]\nuse = ["bash"]\n')
    desk.well("provision")
    proof = desk.home / ".local/state/zesty-anchor/proof.json"
    proof.write_text(
        proof.read_text().replace('"name":"kelp is found","ok":true', '"name":"kelp is found","ok":false')
    )
    assert status(desk, 4).json["failing"] == ["bash: kelp is found"]
    shown = desk.run("status").out
    assert shown.startswith("Checks failed in") and shown.endswith("Next: zesty-anchor verify\n")


def test_a_run_that_was_cut_off_waits(desk: Desk) -> None:
    desk.wants()
    desk.well("provision")
    journal = desk.home / ".local/state/zesty-anchor/journal.db"
    with sqlite3.connect(journal) as base:
        base.execute("UPDATE changes SET state = 'begun' WHERE change = (SELECT max(change) FROM changes)")
    base.close()
    assert "the last run was cut off" in status(desk, 3).json["pending"]


def test_what_verify_found_last_is_what_it_tells(desk: Desk) -> None:
    desk.wants('[[checks]]\nname = "the gauge is read"\nfile = "gauge"\n')
    assert desk.run("provision").code == 1
    assert status(desk, 4).json["failing"] == ["this machine: the gauge is read"]
    (desk.home / "gauge").touch()
    assert status(desk, 4).json["failing"], "nobody has looked since"
    desk.well("verify")
    seen = status(desk, 0).json
    assert seen["failing"] == [] and time.time() - seen["verified_at"] < 60
    (desk.home / "gauge").unlink()
    assert desk.run("verify", "--only", "kelp").code == 0
    assert status(desk, 0).json["failing"] == [], "a part says nothing of the rest"
    assert desk.run("verify").code == 4
    assert status(desk, 4).json["failing"] == ["this machine: the gauge is read"]
