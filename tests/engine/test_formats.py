"""What an older program wrote is read by this one, what a newer one wrote is refused, and nothing is half
upgraded.
"""

from __future__ import annotations

import sqlite3
import time
from pathlib import Path

import msgspec
import pytest

from zesty_anchor.engine import twin
from zesty_anchor.engine.database import Database
from zesty_anchor.engine.journal import Journal
from zesty_anchor.files.inventory import Item
from zesty_anchor.manifest import lock
from zesty_anchor.proof import proved
from zesty_anchor.shelf import receipt
from zesty_anchor.shelf.receipt import Extra
from zesty_anchor.system.locations import Locations, locate
from zesty_anchor.system.problem import Problem, UsageProblem

RECORD = '{"kind":"startup-file","path":"HOME/.bashrc","name":"~/.bashrc","mode":420,"before":"HOME/.local/state/zesty-anchor/attic/run-00001/001-bashrc","after":null,"made":[]}'
TABLES = {
    1: (
        """
        CREATE TABLE runs (run INTEGER PRIMARY KEY AUTOINCREMENT, began REAL NOT NULL, ended REAL, manifest TEXT NOT NULL,
          taken_back INTEGER NOT NULL DEFAULT 0);
        CREATE TABLE changes (change INTEGER PRIMARY KEY AUTOINCREMENT, run INTEGER NOT NULL, kind TEXT NOT NULL,
          subject TEXT NOT NULL, action TEXT NOT NULL, record TEXT NOT NULL,
          state TEXT NOT NULL CHECK (state IN ('begun', 'done', 'taken back')));
        CREATE TABLE resolutions (runtime TEXT NOT NULL, want TEXT NOT NULL, feed TEXT NOT NULL, version TEXT NOT NULL,
          PRIMARY KEY (runtime, want, feed));
    """
    ),
    2: (
        """
        CREATE TABLE notices (run INTEGER NOT NULL, change INTEGER NOT NULL, notice TEXT NOT NULL);
        CREATE TABLE kept (kept TEXT PRIMARY KEY, was TEXT NOT NULL, run INTEGER NOT NULL, since REAL NOT NULL);
        INSERT INTO kept VALUES ('HOME/.local/state/zesty-anchor/attic/run-00001/002-old', 'HOME/old', 1, 5.0);
    """
    ),
    3: (
        """
        ALTER TABLE runs ADD COLUMN digest TEXT NOT NULL DEFAULT '';
        ALTER TABLE runs ADD COLUMN proved TEXT NOT NULL DEFAULT '';
        ALTER TABLE changes ADD COLUMN began REAL NOT NULL DEFAULT 0;
        ALTER TABLE changes ADD COLUMN ended REAL NOT NULL DEFAULT 0;
    """
    ),
}
"""What each version of the journal added."""


@pytest.fixture
def here(tmp_path: Path) -> Locations:
    return locate({"HOME": str(tmp_path)})


def old_journal(here: Locations, version: int, home: str) -> None:
    here.state.mkdir(parents=True, exist_ok=True)
    with sqlite3.connect(here.journal) as base:
        for each in range(1, version + 1):
            base.executescript(TABLES[each].replace("HOME", home))
        base.execute(
            "INSERT INTO runs (run, began, manifest) VALUES (1, 2.0, ?)", (f"{home}/workstation.toml",)
        )
        base.execute(
            "INSERT INTO changes (run, kind, subject, action, record, state) VALUES (1, 'startup-file',"
            " '~/.bashrc', 'edit', ?, 'done')",
            (RECORD.replace("HOME", home),),
        )
        base.execute(f"PRAGMA user_version = {version}")


@pytest.mark.parametrize("home", ["", "/harbour/ann"], ids=["its own home", "another home"])
@pytest.mark.parametrize("version", TABLES)
def test_a_journal_of_each_older_program_is_brought_along(here: Locations, version: int, home: str) -> None:
    old_journal(here, version, home or str(here.home))
    with Journal(here) as journal:
        (entry,) = journal.entries(1)
        known = journal.home()
        assert journal.last_manifest() == here.home / "workstation.toml"
        assert [thing.was for thing in journal.things()] == ([f"{here.home}/old"] if version > 1 else [])
    record = msgspec.json.decode(entry.record)
    assert record["path"] == f"{here.home}/.bashrc" and record["name"] == "~/.bashrc"
    assert known is not None and known.home == (home or str(here.home)) and known.plain_runs == 1
    with sqlite3.connect(here.journal) as base:
        assert base.execute("PRAGMA user_version").fetchone() == (6,)


def test_a_journal_of_version_4_gets_the_table_that_it_lacks(here: Locations) -> None:
    """Its paths are relative already."""
    with Journal(here) as journal:
        journal.begin_run(here.home / "workstation.toml")
    with sqlite3.connect(here.journal) as base:
        base.execute("DROP TABLE earlier_resolutions")
        base.execute("PRAGMA user_version = 4")
    with Journal(here) as journal:
        journal.resolve(1, "kelp", "4", "harbour", "4.2.1")
        assert journal.last_manifest() == here.home / "workstation.toml"


@pytest.mark.parametrize("version", TABLES)
def test_who_is_killed_in_an_upgrade_leaves_the_old_journal(
    here: Locations, version: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    old_journal(here, version, str(here.home))

    def killed(base: Database) -> None:
        raise SystemExit

    monkeypatch.setattr(Database, "_make_relative", killed)
    with pytest.raises(SystemExit):
        Journal(here)
    with sqlite3.connect(here.journal) as base:
        assert base.execute("PRAGMA user_version").fetchone() == (version,)
        assert not base.execute("SELECT 1 FROM sqlite_master WHERE name = 'home'").fetchall()
    monkeypatch.undo()
    with Journal(here) as journal:
        assert len(journal.entries(1)) == 1


def test_a_twin_of_an_older_program_is_read(here: Locations) -> None:
    folder = here.attic / "run-00001"
    folder.mkdir(parents=True)
    record = RECORD.replace("HOME", "/harbour/ann")
    rows = [
        '{"run":1,"began":2.0,"manifest":"/harbour/ann/workstation.toml"}',
        f'{{"run":1,"change":1,"state":"begun","kind":"startup-file","subject":"~/.bashrc","action":"edit","record":{record}}}',
    ]
    (folder / "changes.jsonl").write_text("\n".join(rows) + "\n")
    began, change = twin.events(here)
    assert began.manifest == "{home}/workstation.toml"
    assert msgspec.json.decode(change.record)["path"] == "{home}/.bashrc"


RECEIPT = b'{"runtime":"kelp","version":"4.2.1","feed":"harbour","url":"http://a/","digest":"sha256:1","channels":["lts"]}'
SLIPS = {
    ".zesty-anchor-extras.json": (b'{"tidy@1":{"version":"1.2","commands":["tidy"]}}', b'["tidy@1"]'),
    ".zesty-anchor-files.json": (b'{"bin/kelp":["file",493,3,5,"abc"]}',),
    ".zesty-anchor-choices.json": (b'{"kelp":"4.2"}',),
}


def test_slips_of_older_programs_are_read_and_those_of_newer_ones_not(tmp_path: Path) -> None:
    (tmp_path / receipt.FILE_NAME).write_bytes(RECEIPT)
    assert receipt.read(tmp_path) is not None
    for name, contents in SLIPS.items():
        (tmp_path / name).write_bytes(contents[0])
    assert receipt.extras_in(tmp_path) == {"tidy@1": Extra("1.2", ("tidy",))}
    assert receipt.files_in(tmp_path) == {"bin/kelp": Item("file", 0o755, 3, 5, "abc")}
    assert receipt.choices_in(tmp_path) == {"kelp": "4.2"}
    (tmp_path / receipt.EXTRAS_NAME).write_bytes(SLIPS[receipt.EXTRAS_NAME][1])
    assert receipt.extras_in(tmp_path) == {"tidy@1": Extra()}
    for name, (content, *_) in SLIPS.items():
        key = name.removeprefix(".zesty-anchor-").removesuffix(".json")
        (tmp_path / name).write_bytes(b'{"format":2,"%s":%s}' % (key.encode(), content))
    assert (
        receipt.extras_in(tmp_path) == {}
        and receipt.files_in(tmp_path) is None
        and receipt.choices_in(tmp_path) == {}
    )
    (tmp_path / receipt.FILE_NAME).write_bytes(RECEIPT[:-1] + b',"format":2}')
    with pytest.raises(Problem, match=r"kelp 4\.2\.1 was installed by a newer zesty-anchor"):
        receipt.read(tmp_path)


def test_slips_are_written_with_their_format(tmp_path: Path) -> None:
    receipt.note_extras(tmp_path, {"tidy": Extra("1", ("tidy",))})
    receipt.note_choices(tmp_path, {"kelp": "4"})
    receipt.note_files(tmp_path)
    for name in SLIPS:
        assert msgspec.json.decode((tmp_path / name).read_bytes())["format"] == 1
    assert receipt.extras_in(tmp_path) == {"tidy": Extra("1", ("tidy",))}
    assert receipt.choices_in(tmp_path) == {"kelp": "4"}
    assert receipt.files_in(tmp_path) == {}


LOCK = (
    '[[release]]\nruntime = "kelp"\nwant = "lts"\nversion = "4.2.1"\nfeed ='
    ' "harbour"\n[release.files.any]\nurl = "http://a/k"\ndigest = "sha256:1"\n'
)


def test_a_lock_of_an_older_program_is_read_and_one_of_a_newer_one_refused(tmp_path: Path) -> None:
    file = tmp_path / "workstation.lock"
    file.write_text(LOCK)
    entries = lock.read(file)
    assert entries["kelp", "lts"].version == "4.2.1"
    lock.write(file, entries.values(), {})
    assert file.read_text().splitlines()[1] == "format = 1" and lock.read(file) == entries
    file.write_text("format = 2\n" + LOCK)
    with pytest.raises(UsageProblem, match="written by a newer zesty-anchor"):
        lock.read(file)


def test_what_was_proved_is_read_with_and_without_a_format(tmp_path: Path) -> None:
    for text, known in (
        ('{"known":{"/f":["a"]}}', True),
        ('{"known":{"/f":["a"]},"format":1}', True),
        ('{"known":{"/f":["a"]},"format":2}', False),
    ):
        (tmp_path / "proved.json").write_text(text)
        assert bool(proved.read(tmp_path).known) is known
    (tmp_path / "proof.json").write_text('{"at":1.0,"shells":[]}')
    assert proved.last_proof(tmp_path) is not None
    (tmp_path / "proof.json").write_text('{"at":1.0,"shells":[],"format":2}')
    assert proved.last_proof(tmp_path) is None


def test_a_version_of_a_program_that_kept_no_list_is_as_it_was_put_there(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    (tmp_path / "bin").mkdir()
    (tmp_path / "bin/kelp").write_text("kelp\n")
    (tmp_path / receipt.FILE_NAME).write_bytes(RECEIPT)
    monkeypatch.setattr(receipt, "_WITHIN_NS", 0)
    time.sleep(0.02)
    (tmp_path / "bin/mine").write_text("mine\n")
    files = receipt.files_in(tmp_path)
    assert files is not None and "bin/kelp" in files and "bin/mine" not in files
    assert receipt.damage_in(tmp_path, receipt.Receipt("kelp", "4.2.1", "harbour", "", "")) == []
    (tmp_path / receipt.FILE_NAME).write_bytes(RECEIPT[:-1] + b',"format":1}')
    assert receipt.files_in(tmp_path) is None, "one of this program has lost its list"


def test_a_journal_of_a_newer_program_is_left_alone(here: Locations) -> None:
    with Journal(here) as journal:
        journal.begin_run(here.home / "workstation.toml")
    with sqlite3.connect(here.journal) as base:
        base.execute("PRAGMA user_version = 99")
    before = here.journal.read_bytes()
    with pytest.raises(Problem, match="by a newer zesty-anchor"):
        Journal(here)
    assert here.journal.read_bytes() == before


def test_each_entry_is_on_disk_when_it_is_written(here: Locations) -> None:
    with Journal(here) as journal:
        assert journal._base.rows("PRAGMA synchronous") == [(2,)], 'FULL (SQLite, "PRAGMA synchronous")'


def test_what_a_run_promised_comes_back_from_the_twin(here: Locations) -> None:
    with Journal(here) as journal:
        run = journal.begin_run(here.home / "workstation.toml")
        journal.promised(run, '{"version": {"kelp": "4.2.1"}}')
        kept = twin.events(here)
    here.journal.unlink()
    with Journal(here) as journal:
        journal.add_from(kept)
        assert journal.promises() == {run: '{"version": {"kelp": "4.2.1"}}'}
