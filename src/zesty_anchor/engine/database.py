"""The SQLite file of the journal."""

from __future__ import annotations

import sqlite3
from pathlib import Path
from typing import Any

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
CREATE TABLE IF NOT EXISTS notices (
    run INTEGER NOT NULL,
    change INTEGER NOT NULL,
    notice TEXT NOT NULL
);
CREATE TABLE IF NOT EXISTS kept (
    kept TEXT PRIMARY KEY,
    was TEXT NOT NULL,
    run INTEGER NOT NULL,
    since REAL NOT NULL
);
PRAGMA user_version = 3;
"""
_VERSION = 3
_ADDED = (
    ("runs", "digest", "TEXT NOT NULL DEFAULT ''"),
    ("runs", "proved", "TEXT NOT NULL DEFAULT ''"),
    ("changes", "began", "REAL NOT NULL DEFAULT 0"),
    ("changes", "ended", "REAL NOT NULL DEFAULT 0"),
)
"""Columns that an earlier program's file does not have."""


class Database:
    """The file, opened; made where there is none, brought up to date where it is of an older program. With ``on_disk`` False it is
    in memory alone.

    Raises ``Unreadable`` where it is no journal, and ``Problem`` where it is one of a newer program, or cannot be used.
    """

    def __init__(self, file: Path, *, on_disk: bool) -> None:
        self._file = file
        if on_disk:
            own_folders.make(file.parent)
        try:
            self._base = sqlite3.connect(
                file if on_disk else ":memory:", check_same_thread=False, isolation_level=None, timeout=10
            )
            if on_disk and file.stat().st_mode & 0o077:
                file.chmod(file.stat().st_mode & 0o700)
            version = self._base.execute("PRAGMA user_version").fetchone()[0]
            if version > _VERSION:
                raise Problem("the journal was written by a newer zesty-anchor", where=str(file), advice="upgrade it")
            if version < _VERSION:
                self._base.executescript(_SCHEMA)
                for table, column, kind in _ADDED:
                    if column not in {row[1] for row in self._base.execute(f"PRAGMA table_info({table})")}:
                        self._base.execute(f"ALTER TABLE {table} ADD COLUMN {column} {kind}")
            # Each entry is on disk before its change begins: that is the journal's whole purpose.
            self._base.execute("PRAGMA synchronous = FULL")
            # The file by which SQLite takes a transaction back stays, and is marked as empty: as safe as to delete it, and a fifth
            # of the time, since no name comes or goes (SQLite, "PRAGMA journal_mode").
            self._base.execute("PRAGMA journal_mode = PERSIST")
        except sqlite3.Error as error:
            raise self._problem(error) from None

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
        """Carry a statement out. Returns the number of the row that was added, if one was. Raises ``Problem``; a transaction that
        is under way is then over, and nothing of it is done.
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
        advice = next((advice for part, advice in _ADVICE.items() if part in text), "look at that file and its disk")
        return Problem(f"the journal cannot be used: {text}", where=str(self._file), advice=advice)


class Unreadable(Problem):
    """The journal's file is no journal any more."""


_REBUILT = (
    "the next provision, undo or dismantle sets it aside, and makes it anew from what the attic and the shelf tell"
)
_ADVICE = {
    "locked": "another program has it open: wait for that to end, then run the command again",
    "readonly": "allow it to be written (chmod u+w), then run the command again",
    "full": "the disk is full: make room, then run the command again",
    "unable to open": "allow its folder to be read and written (chmod u+rwx), then run the command again",
}
"""What to do, by a part of what SQLite says (sqlite.org, "Result and Error Codes")."""
