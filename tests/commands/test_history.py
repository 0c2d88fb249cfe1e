"""What each run did, when, and how long it took."""

from __future__ import annotations

import hashlib
import json
import re
import sqlite3
import time

import pytest

from tests.conftest import Desk

BOTH = '[shells]\nuse = ["bash"]\n'


def test_runs_with_what_they_brought_and_proved(desk: Desk) -> None:
    assert "There are no runs yet" in desk.well("history").out
    desk.wants(BOTH)
    before = time.time()
    told = re.search(r"changes done in (\S+) s;", desk.well("provision").out)
    desk.wants(BOTH, '[runtimes.kelp]\nwant = "lts"\nalso = ["3.6"]\n')
    desk.well("provision")
    digest = hashlib.sha256(desk.manifest.read_bytes()).hexdigest()
    second, first = desk.well("history", "--json").json["runs"]
    assert (first["run"], second["run"]) == (1, 2)
    assert before <= first["began"] <= first["ended"] <= second["began"] <= time.time()
    assert second["digest"] == digest != first["digest"]
    assert "checks passed" in second["verified"]
    assert [c["subject"] for c in second["changes"] if c["kind"] == "version"] == ["kelp 3.6.2"]
    assert told is not None and abs(first["ended"] - first["began"] - float(told[1])) < 0.1, (
        "one time for both"
    )
    took = sum(change["seconds"] for change in first["changes"])
    assert 0 < took <= first["ended"] - first["began"] + 0.1

    shown = desk.well("history").out.splitlines()
    assert "kelp 4.2.1, 2 startup files" in shown[2] and "undone" not in shown[2]
    assert "kelp 3.6.2" in shown[1] and max(map(len, shown)) <= 110
    one = desk.well("history", "1").out
    assert "install   kelp 4.2.1" in one and "~/.bashrc" in one and "checks passed" in one

    desk.well("undo")
    assert "undone" in desk.well("history").out.splitlines()[1]
    assert desk.well("history", "2", "--json").json["undone"] is True


def test_a_log_in_words_and_one_in_json_of_the_newest_runs(desk: Desk) -> None:
    desk.wants(BOTH)
    logs = desk.home / ".local/state/zesty-anchor/logs"
    for number in range(1, 25):
        (logs / f"run-{number:05}").mkdir(parents=True)
        (desk.home / f".local/state/zesty-anchor/attic/run-{number:05}").mkdir(parents=True)
    desk.well("provision")
    (run,) = desk.well("history", "--json").json["runs"]
    assert len(list(logs.iterdir())) == 20 and (logs / f"run-{run['run']:05}").samefile(run["log"])
    events = [json.loads(line) for line in (logs / run["log"] / "events.jsonl").read_text().splitlines()]
    began = {event["key"] for event in events if event["event"] == "began"}
    done = {event["key"]: event for event in events if event["event"] == "done"}
    assert began == done.keys() and len(began) == len(run["changes"])
    assert done["version:kelp:4.2.1"]["size"] > 500
    words = (logs / run["log"] / "log").read_text().splitlines()
    assert len(words) == len(events) and any("done    install kelp 4.2.1" in line for line in words)
    assert "verifying in new shells" in words[-1]
    desk.well("dismantle", "--yes")
    assert not logs.exists()


def test_a_run_that_is_not_known(desk: Desk) -> None:
    desk.wants(BOTH)
    desk.well("provision")
    answer = desk.run("history", "7")
    assert answer.code == 2 and "there is no run 7" in answer.err and "1" in answer.err


def test_what_stays_in_the_attic_is_told_with_its_run(desk: Desk) -> None:
    desk.wants(BOTH)
    desk.well("provision")
    (desk.shelf / "kelp/4.2.1/mine").write_text("my own\n")
    desk.well("undo")
    found = desk.well("history", "1", "--json").json
    assert any("mine" in was for was in found["attic"]) and found["notices"]


def test_a_journal_of_an_earlier_program_gets_the_new_columns(desk: Desk) -> None:
    desk.wants(BOTH)
    desk.well("provision")
    journal = desk.home / ".local/state/zesty-anchor/journal.db"
    with sqlite3.connect(journal) as base:
        for table, column in (
            ("runs", "digest"),
            ("runs", "proved"),
            ("changes", "began"),
            ("changes", "ended"),
        ):
            base.execute(f"ALTER TABLE {table} DROP COLUMN {column}")
        base.execute("PRAGMA user_version = 2")
    (run,) = desk.well("history", "--json").json["runs"]
    assert run["digest"] == "" and run["changes"][0]["seconds"] == 0.0
    assert "Nothing to do" in desk.well("provision").out
    desk.well("undo")


@pytest.mark.parametrize("words", [("history", "x"), ("history", "1", "2")])
def test_a_number_is_asked_for(desk: Desk, words: tuple[str, ...]) -> None:
    assert desk.run(*words).code == 2


def test_what_a_run_changed_is_told_by_name_old_and_new(desk: Desk) -> None:
    both = '[runtimes.kelp]\nwant = "4.2"\nalso = ["3.6"]\n'
    desk.wants('[variables]\nGAUGE = "north"\nTIDE = "low"\n[path]\nfirst = ["~/bin"]\n', both)
    assert "Changes against the last run" not in desk.well("preview").out
    desk.well("provision")
    desk.wants('[variables]\nGAUGE = "south"\n[path]\nfirst = ["~/bin", "~/more"]\n',
               '[runtimes.kelp]\nwant = "4.1"\nalso = ["3.6"]\n')  # fmt: skip
    lines = ["kelp 4.2.1 → 4.1.0", 'GAUGE: "north" → "south"', "TIDE goes", "PATH gains ~/more"]
    previewed = desk.well("preview").out
    assert "\n\nChanges against the last run\n" + "".join(f"  {line}\n" for line in lines) in previewed
    assert desk.well("preview", "--json").json["differences"] == lines
    desk.well("provision")
    assert desk.well("history", "--json").json["runs"][0]["differences"] == lines
    assert "kelp 4.2.1 → 4.1.0" in desk.well("history").out
    listed = desk.well("undo", "--list").out
    assert listed.index("kelp 4.2.1 → 4.1.0") < listed.index("kelp 4.2.1 is new")
    desk.well("undo")
    assert desk.well("preview", "--json").json["differences"] == lines, "the run before counts again"


def test_another_manifest_that_takes_things_away_is_asked_about(desk: Desk) -> None:
    desk.wants('[variables]\nGAUGE = "north"\n')
    desk.well("provision")
    other = desk.write(
        desk.manifest.read_text().replace("GAUGE", "TIDE"), ".config/zesty-anchor/workstation.toml"
    )
    answer = desk.run("provision", "-m", str(other))
    assert answer.code == 5
    assert (
        "this home was provisioned from ~/workstation.toml; with ~/.config/zesty-anchor/workstation.toml"
        in answer.err
    )
    assert "GAUGE would go" in answer.err
    assert "north" in desk.shell("bash", "echo $GAUGE", "-l")
    desk.well("provision", "-m", str(other), "--yes")
    assert "north" in desk.shell("bash", "echo $TIDE", "-l")
    desk.write(other.read_text() + '[path]\nlast = ["~/late"]\n', ".config/zesty-anchor/workstation.toml")
    desk.well("provision", "-m", str(other))
