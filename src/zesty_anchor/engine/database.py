"""The SQLite file of the journal."""

from __future__ import annotations

import sqlite3
from pathlib import Path
from typing import Any

import msgspec

from zesty_anchor.engine.home_identity import HomeIdentity
from zesty_anchor.engine.home_paths import stored, stored_json, written_in
from zesty_anchor.files import own_folders
from zesty_anchor.system.problem import Problem
from zesty_anchor.system.refusal import way_to_open

_TABLES = (
    """CREATE TABLE IF NOT EXISTS runs (
        run INTEGER PRIMARY KEY AUTOINCREMENT,
        began REAL NOT NULL,
        ended REAL,
        manifest TEXT NOT NULL,
        taken_back INTEGER NOT NULL DEFAULT 0
    )""",
    """CREATE TABLE IF NOT EXISTS changes (
        change INTEGER PRIMARY KEY AUTOINCREMENT,
        run INTEGER NOT NULL REFERENCES runs(run),
        kind TEXT NOT NULL,
        subject TEXT NOT NULL,
        action TEXT NOT NULL,
        record TEXT NOT NULL,
        state TEXT NOT NULL CHECK (state IN ('begun', 'done', 'taken back'))
    )""",
    """CREATE TABLE IF NOT EXISTS resolutions (
        runtime TEXT NOT NULL,
        want TEXT NOT NULL,
        feed TEXT NOT NULL,
        version TEXT NOT NULL,
        PRIMARY KEY (runtime, want, feed)
    )""",
    (
        "CREATE TABLE IF NOT EXISTS notices (run INTEGER NOT NULL, change INTEGER NOT NULL, notice TEXT NOT"
        " NULL)"
    ),
    """CREATE TABLE IF NOT EXISTS kept (
        kept TEXT PRIMARY KEY,
        was TEXT NOT NULL,
        run INTEGER NOT NULL,
        since REAL NOT NULL
    )""",
    """CREATE TABLE IF NOT EXISTS earlier_resolutions (
        run INTEGER NOT NULL,
        runtime TEXT NOT NULL,
        want TEXT NOT NULL,
        feed TEXT NOT NULL,
        version TEXT NOT NULL,
        PRIMARY KEY (run, runtime, want, feed)
    )""",
    "CREATE TABLE IF NOT EXISTS home (one INTEGER PRIMARY KEY CHECK (one = 1), identity TEXT NOT NULL)",
)
_VERSION = 6
"""1: the first; 2: when a run was proved; 3: when each change began and ended; 4: whose home it is, and paths
relative to it; 5: what a want meant before a run; 6: what each run promised.
"""
_ADDED = (
    ("runs", "digest", "TEXT NOT NULL DEFAULT ''"),
    ("runs", "proved", "TEXT NOT NULL DEFAULT ''"),
    ("runs", "promised", "TEXT NOT NULL DEFAULT ''"),
    ("changes", "began", "REAL NOT NULL DEFAULT 0"),
    ("changes", "ended", "REAL NOT NULL DEFAULT 0"),
)
"""Columns that an earlier program's file does not have."""


class Database:
    """The file, opened; made where there is none, brought up to date where it is of an older program. With
    ``on_disk`` False it is in memory alone. ``home`` is the home that this process works in.

    Raises ``Unreadable`` where it is no journal, and ``Problem`` where it is one of a newer program, or
    cannot be used.
    """

    def __init__(self, file: Path, home: Path, *, on_disk: bool) -> None:
        self._file = file
        self._home = str(home)
        if on_disk:
            own_folders.make(file.parent)
        try:
            self._base = sqlite3.connect(
                file if on_disk else ":memory:", check_same_thread=False, isolation_level=None, timeout=10
            )
            if on_disk and file.stat().st_mode & 0o077:
                file.chmod(file.stat().st_mode & 0o700)
            if self._version() < _VERSION:
                self._upgrade()
            if self._version() > _VERSION:
                raise Problem(
                    "the journal was written by a newer zesty-anchor", where=str(file), advice="upgrade it"
                )
            # Each entry is on disk before its change begins: that is the journal's whole purpose.
            self._base.execute("PRAGMA synchronous = FULL")
            # The file by which SQLite takes a transaction back stays, and is marked as empty: as safe as to
            # delete it, and a fifth of the time, since no name comes or goes (SQLite, "PRAGMA journal_mode").
            self._base.execute("PRAGMA journal_mode = PERSIST")
        except sqlite3.Error as error:
            raise self._problem(error) from None

    def _version(self) -> int:
        return int(self._base.execute("PRAGMA user_version").fetchone()[0])

    def _upgrade(self) -> None:
        """Bring an older file up to date in one transaction, the version last: a process that is killed in
        between leaves the old file.
        """
        self._base.execute("BEGIN IMMEDIATE")
        try:
            version = self._version()  # another process may have done it meanwhile
            if version < _VERSION:
                for table in _TABLES:
                    self._base.execute(table)
                for table, column, kind in _ADDED:
                    if column not in {row[1] for row in self._base.execute(f"PRAGMA table_info({table})")}:
                        self._base.execute(f"ALTER TABLE {table} ADD COLUMN {column} {kind}")
                if 0 < version < 4:
                    self._make_relative()
                self._base.execute(f"PRAGMA user_version = {_VERSION}")
            self._base.execute("COMMIT")
        except BaseException:
            if self._base.in_transaction:
                self._base.rollback()
            raise

    def _make_relative(self) -> None:
        """Store the paths of an older journal relative to the home that it was written in."""
        rows = self._base.execute("SELECT change, record FROM changes").fetchall()
        home = written_in((record for _, record in rows), self._home, str(self._file.parent))
        for change, record in rows:
            text = stored_json(record.encode(), home).decode()
            self._base.execute("UPDATE changes SET record = ? WHERE change = ?", (text, change))
        runs = self._base.execute("SELECT run, manifest FROM runs").fetchall()
        for run, manifest in runs:
            self._base.execute("UPDATE runs SET manifest = ? WHERE run = ?", (stored(manifest, home), run))
        for kept, was in self._base.execute("SELECT kept, was FROM kept").fetchall():
            row = stored(kept, home), stored(was, home), kept
            self._base.execute("UPDATE kept SET kept = ?, was = ? WHERE kept = ?", row)
        identity = HomeIdentity(home=home, plain_runs=max((run for run, _ in runs), default=0))
        self._base.execute(
            "INSERT OR REPLACE INTO home VALUES (1, ?)", (msgspec.json.encode(identity).decode(),)
        )

    def close(self) -> None:
        """Close it."""
        self._base.close()

    def rows(self, query: str, values: Any = ()) -> list[tuple[Any, ...]]:
        """What a query finds. Raises ``Problem``."""
        try:
            return self._base.execute(query, values).fetchall()
        except sqlite3.Error as error:
            raise self._problem(error) from None

    def write(self, statement: str, values: tuple[object, ...] = ()) -> int:
        """Carry a statement out. Returns the number of the row that was added, if one was. Raises
        ``Problem``; a transaction that is under way is then over, and nothing of it is done.
        """
        try:
            return self._base.execute(statement, values).lastrowid or 0
        except sqlite3.Error as error:
            if self._base.in_transaction:
                self._base.rollback()
            raise self._problem(error) from None

    def _problem(self, error: sqlite3.Error) -> Problem:
        if not isinstance(error, sqlite3.OperationalError):
            return Unreadable(f"the journal cannot be read: {error}", where=str(self._file), advice=_REBUILT)
        text = str(error)
        advice = next(
            (advice for part, advice in _ADVICE.items() if part in text), "look at that file and its disk"
        )
        allow = way_to_open(self._file)
        advice = f"allow it: {allow}, then run the command again" if allow else advice
        return Problem(f"the journal cannot be used: {text}", where=str(self._file), advice=advice)


class Unreadable(Problem):
    """The journal's file is no journal any more."""


_REBUILT = (
    "the next provision, undo or dismantle sets it aside, and makes it anew from what the attic and the shelf"
    " tell"
)
_ADVICE = {
    "locked": "another program has it open: wait for that to end, then run the command again",
    "readonly": "its disk may be read-only: mount it such that it can be written, then run the command again",
    "full": "the disk is full: make room, then run the command again",
}
"""What to do, by a part of what SQLite says (sqlite.org, "Result and Error Codes")."""
