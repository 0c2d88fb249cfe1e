"""The SQLite record of every change, written before and after it happens."""

from __future__ import annotations

import fcntl
import os
import sqlite3
import threading
import time
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from pathlib import Path

import msgspec

from zesty_anchor.changes.record import Record
from zesty_anchor.files import own_folders
from zesty_anchor.system.problem import Problem

_SCHEMA = """
CREATE TABLE IF NOT EXISTS runs (
    run INTEGER PRIMARY KEY AUTOINCREMENT,
    began REAL NOT NULL,
    ended REAL,
    manifest TEXT NOT NULL,
    taken_back INTEGER NOT NULL DEFAULT 0
);
CREATE TABLE IF NOT EXISTS changes (
    change INTEGER PRIMARY KEY AUTOINCREMENT,
    run INTEGER NOT NULL REFERENCES runs(run),
    kind TEXT NOT NULL,
    subject TEXT NOT NULL,
    action TEXT NOT NULL,
    record TEXT NOT NULL,
    state TEXT NOT NULL CHECK (state IN ('begun', 'done', 'taken back'))
);
CREATE TABLE IF NOT EXISTS resolutions (
    runtime TEXT NOT NULL,
    want TEXT NOT NULL,
    feed TEXT NOT NULL,
    version TEXT NOT NULL,
    PRIMARY KEY (runtime, want, feed)
);
PRAGMA user_version = 1;
"""
_VERSION = 1


class Entry(msgspec.Struct, frozen=True):
    """One change in the journal. ``record`` is the JSON of its record, ``state`` begun, done or taken back."""

    change: int
    run: int
    kind: str
    subject: str
    action: str
    record: bytes
    state: str


class Past(msgspec.Struct, frozen=True):
    """What the journal tells before anything is done: the version that each (runtime, want, feed) was resolved to, the
    manifest of the latest run that still stands, and whether a run was cut off.
    """

    resolutions: Mapping[tuple[str, str, str], str] = {}
    manifest: Path | None = None
    cut_off: bool = False


def past(file: Path) -> Past:
    """Read it. No journal is made for asking. Raises ``Problem`` as ``Journal`` does."""
    if not file.is_file():
        return Past()
    with Journal(file) as journal:
        return Past(journal.resolutions(), journal.last_manifest(), bool(journal.unfinished()))


class Journal:
    """The journal in a state folder. Safe to use from several threads of one process.

    Raises ``Problem`` where the file is no journal, or one of a newer program.
    """

    def __init__(self, file: Path) -> None:
        self.file = file
        self._lock = threading.Lock()
        own_folders.make(file.parent)
        try:
            self._base = sqlite3.connect(file, check_same_thread=False, isolation_level=None, timeout=10)
            version = self._base.execute("PRAGMA user_version").fetchone()[0]
            if version > _VERSION:
                raise Problem("the journal was written by a newer zesty-anchor", where=str(file), advice="upgrade it")
            if version < _VERSION:
                self._base.executescript(_SCHEMA)
            # Each entry is on disk before its change begins: that is the journal's whole purpose.
            self._base.execute("PRAGMA synchronous = FULL")
        except sqlite3.DatabaseError as error:
            raise Problem(
                f"the journal cannot be read: {error}",
                where=str(file),
                advice="without it nothing can be taken back: move it away only if you accept that",
            ) from None

    def __enter__(self) -> Journal:
        return self

    def __exit__(self, *error: object) -> None:
        self.close()

    def close(self) -> None:
        """Close the file."""
        self._base.close()

    def begin_run(self, manifest: Path) -> int:
        """Open a run and return its number."""
        with self._lock:
            row = self._base.execute("INSERT INTO runs (began, manifest) VALUES (?, ?)", (time.time(), str(manifest)))
            assert row.lastrowid is not None
            return row.lastrowid

    def end_run(self, run: int) -> None:
        """Close a run; one in which nothing remains done is forgotten."""
        with self._lock:
            left = self._base.execute(
                "SELECT count(*) FROM changes WHERE run = ? AND state <> 'taken back'", (run,)
            ).fetchone()[0]
            if left:
                self._base.execute("UPDATE runs SET ended = ? WHERE run = ?", (time.time(), run))
            else:
                self._base.execute("DELETE FROM changes WHERE run = ?", (run,))
                self._base.execute("DELETE FROM runs WHERE run = ?", (run,))

    def begin(self, run: int, kind: str, subject: str, action: str, record: Record) -> int:
        """Write down a change that is about to happen, and return its number."""
        with self._lock:
            row = self._base.execute(
                "INSERT INTO changes (run, kind, subject, action, record, state) VALUES (?, ?, ?, ?, ?, 'begun')",
                (run, kind, subject, action, msgspec.json.encode(record).decode()),
            )
            assert row.lastrowid is not None
            return row.lastrowid

    def done(self, change: int, record: Record) -> None:
        """Write down that a change is done, with what its record has come to."""
        with self._lock:
            self._base.execute(
                "UPDATE changes SET state = 'done', record = ? WHERE change = ?",
                (msgspec.json.encode(record).decode(), change),
            )

    def taken_back(self, change: int) -> None:
        """Write down that a change is taken back."""
        with self._lock:
            self._base.execute("UPDATE changes SET state = 'taken back' WHERE change = ?", (change,))

    def unfinished(self) -> list[Entry]:
        """Changes that were begun and neither done nor taken back, the latest first: a run was cut off there."""
        return self._entries("state = 'begun'", ())

    def entries(self, run: int) -> list[Entry]:
        """The changes of a run that still stand, the latest first."""
        return self._entries("run = ? AND state <> 'taken back'", (run,))

    def standing_runs(self) -> list[int]:
        """The numbers of the runs of which something still stands, the latest first."""
        return [
            row[0]
            for row in self._base.execute(
                "SELECT run FROM runs WHERE taken_back = 0 AND EXISTS "
                "(SELECT 1 FROM changes WHERE changes.run = runs.run AND state <> 'taken back') ORDER BY run DESC"
            )
        ]

    def began(self, run: int) -> float:
        """When a run began, in seconds since 1970."""
        row = self._base.execute("SELECT began FROM runs WHERE run = ?", (run,)).fetchone()
        return float(row[0]) if row else 0.0

    def last_manifest(self) -> Path | None:
        """The manifest of the latest run that still stands."""
        row = self._base.execute("SELECT manifest FROM runs WHERE taken_back = 0 ORDER BY run DESC LIMIT 1").fetchone()
        return Path(row[0]) if row else None

    def run_taken_back(self, run: int) -> None:
        """Write down that a whole run was taken back."""
        with self._lock:
            self._base.execute("UPDATE runs SET taken_back = 1 WHERE run = ?", (run,))

    def resolutions(self) -> dict[tuple[str, str, str], str]:
        """The version that each (runtime, want, feed) was resolved to."""
        return {
            (runtime, want, feed): version
            for runtime, want, feed, version in self._base.execute(
                "SELECT runtime, want, feed, version FROM resolutions"
            )
        }

    def resolve(self, runtime: str, want: str, feed: str, version: str) -> None:
        """Write down what a want was resolved to, so that it stays so."""
        with self._lock:
            self._base.execute("INSERT OR REPLACE INTO resolutions VALUES (?, ?, ?, ?)", (runtime, want, feed, version))

    def _entries(self, condition: str, values: tuple[int, ...]) -> list[Entry]:
        rows = self._base.execute(
            f"SELECT change, run, kind, subject, action, record, state FROM changes WHERE {condition} ORDER BY change DESC",
            values,
        )
        return [Entry(row[0], row[1], row[2], row[3], row[4], row[5].encode(), row[6]) for row in rows]


@contextmanager
def alone(state: Path) -> Iterator[None]:
    """Keep other runs for the same home out meanwhile. Raises ``Problem`` where one is under way."""
    own_folders.make(state)
    handle = os.open(state / "lock", os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
    try:
        try:
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            other = os.pread(handle, 20, 0).decode("ascii", "replace").strip()
            raise Problem(
                f"another zesty-anchor is at work in this home (process {other or 'unknown'})",
                where=str(state / "lock"),
                advice="wait for it to end, then run the command again",
            ) from None
        os.ftruncate(handle, 0)
        os.pwrite(handle, f"{os.getpid()}\n".encode(), 0)
        yield
    finally:
        os.close(handle)
