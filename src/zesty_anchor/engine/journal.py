"""The SQLite record of every change, written before and after it happens."""

from __future__ import annotations

import threading
import time
from collections.abc import Iterable, Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec

from zesty_anchor.engine import twin
from zesty_anchor.engine.database import Database
from zesty_anchor.engine.home_identity import HomeIdentity
from zesty_anchor.engine.home_paths import restored, restored_json, stored, stored_json
from zesty_anchor.engine.past_runs import PastRun, past_runs
from zesty_anchor.system.locations import Locations

if TYPE_CHECKING:
    from zesty_anchor.changes.record import Record


class Entry(msgspec.Struct, frozen=True):
    """One change in the journal. ``record`` is the JSON of its record, ``state`` begun, done or taken
    back.
    """

    change: int
    run: int
    kind: str
    subject: str
    action: str
    record: bytes
    state: str


class Thing(msgspec.Struct, frozen=True):
    """Something that stays in the attic after its change is over: where it stood, where it is, and since when
    (seconds since 1970).
    """

    was: str
    kept: str
    since: float


class StandingWrite(msgspec.Struct, frozen=True):
    """A file that a run wrote, with the SHA-256 of what it wrote (empty: it deleted it), or a folder."""

    kind: str
    subject: str
    place: Path
    digest: str


class LatestRun(msgspec.Struct, frozen=True):
    """The latest run that stands: when it began (seconds since 1970), its manifest with the SHA-256, and what
    it promised (``planning.promised``).
    """

    run: int
    began: float
    manifest: Path
    digest: str
    promised: str


class Past(msgspec.Struct, frozen=True):
    """What the journal tells before anything is done: the version that each (runtime, want, feed) was
    resolved to, the manifest of the latest run that was not undone, whether a run was cut off, the home that
    it belongs to, the number of the last run, and what the latest one that stands promised.
    """

    resolutions: Mapping[tuple[str, str, str], str] = {}
    manifest: Path | None = None
    cut_off: bool = False
    home: HomeIdentity | None = None
    last_run: int = 0
    promised: str = ""


class Journal:
    """The journal in a state folder, and its twin in the attic there. Safe to use from several threads of one
    process.

    On disk, paths in the home are relative to it (``home_paths``); all that is given and returned has whole
    paths.

    Raises ``Problem`` where the file is no journal, or one of a newer program, and where it cannot be
    written.
    """

    def __init__(self, locations: Locations, *, on_disk: bool = True) -> None:
        self.file = file = locations.journal
        self.attic = locations.attic
        self.on_disk = on_disk
        self.remade = ""
        """What a person should know, where it was made anew (empty: it was not)."""
        self.to_report: tuple[str, ...] = ()
        """What to report of the journal, and of the home that it belongs to."""
        self._lock = threading.Lock()
        self._home = str(locations.home)
        self._base = Database(file, locations.home, on_disk=on_disk)

    def __enter__(self) -> Journal:
        return self

    def __exit__(self, *error: object) -> None:
        self.close()

    def close(self) -> None:
        """Close the file."""
        self._base.close()

    def begin_run(self, manifest: Path, digest: str = "") -> int:
        """Open a run and return its number: one that no run had, and no folder in the attic. ``digest`` is
        that of the manifest.
        """
        with self._lock:
            last = self._base.rows(
                "SELECT max(run) FROM (SELECT run FROM runs UNION SELECT seq FROM sqlite_sequence WHERE name"
                " = 'runs')"
            )[0][0]
            run = max(last or 0, twin.last_run(self.attic)) + 1
            began = time.time()
            row = run, began, stored(str(manifest), self._home), digest
            self._base.write("INSERT INTO runs (run, began, manifest, digest) VALUES (?, ?, ?, ?)", row)
            self._add(twin.Event(run, began=began, manifest=row[2], home=self.home()))
            return run

    def home(self) -> HomeIdentity | None:
        """Return the home that the journal belongs to; None where it is not recorded yet."""
        rows = self._base.rows("SELECT identity FROM home")
        return msgspec.json.decode(rows[0][0], type=HomeIdentity) if rows else None

    def belongs(self, home: HomeIdentity, gone: Sequence[Entry] = ()) -> None:
        """Record the home that the journal belongs to. The changes ``gone`` belong to another home from now
        on. Atomic.
        """
        with self._lock:
            self._base.write("BEGIN")
            self._base.write(
                "INSERT OR REPLACE INTO home VALUES (1, ?)", (msgspec.json.encode(home).decode(),)
            )
            for entry in gone:
                self._base.write("UPDATE changes SET state = 'taken back' WHERE change = ?", (entry.change,))
            self._base.write("COMMIT")
            for entry in gone:
                self._add(twin.Event(entry.run, entry.change, "taken back"))

    def end_run(self, run: int) -> None:
        """Close a run; one in which nothing remains done, and of which nothing is to be known, is
        forgotten.
        """
        with self._lock:
            left = self._base.rows(
                "SELECT (SELECT count(*) FROM changes WHERE run = :run AND state <> 'taken back') + (SELECT"
                " count(*) FROM notices WHERE run = :run) + (SELECT count(*) FROM kept WHERE run = :run)",
                {"run": run},
            )[0][0]
            if left:
                self._base.write("UPDATE runs SET ended = ? WHERE run = ?", (time.time(), run))
            else:
                self._base.write("DELETE FROM changes WHERE run = ?", (run,))
                self._base.write("DELETE FROM runs WHERE run = ?", (run,))
                if self.on_disk:
                    (twin.run_folder(self.attic, run) / twin.NAME).unlink(missing_ok=True)

    def begin(self, run: int, kind: str, subject: str, action: str, record: Record) -> int:
        """Write down a change that is about to happen, and return its number."""
        with self._lock:
            text = stored_json(msgspec.json.encode(record), self._home)
            change = self._base.write(
                "INSERT INTO changes (run, kind, subject, action, record, state, began) VALUES (?, ?, ?, ?,"
                " ?, 'begun', ?)",
                (run, kind, subject, action, text.decode(), time.time()),
            )
            self._add(twin.Event(run, change, "begun", kind, subject, action, msgspec.Raw(text)))
            return change

    def noted(self, run: int, change: int, record: Record, state: str = "begun") -> None:
        """Write down what the record of a change has come to; ``done`` is the ``state`` of one that is."""
        with self._lock:
            text = stored_json(msgspec.json.encode(record), self._home)
            self._base.write(
                "UPDATE changes SET state = ?, record = ?, ended = ? WHERE change = ?",
                (state, text.decode(), time.time() if state == "done" else 0, change),
            )
            self._add(twin.Event(run, change, state, record=msgspec.Raw(text)))

    def taken_back(self, entry: Entry, notices: Sequence[str], things: Mapping[str, str]) -> None:
        """Write down that a change is taken back, what a person should know of it, and what stays in the
        attic: where each thing is kept, and where it stood.
        """
        with self._lock:
            self._base.write("BEGIN")
            self._base.write("UPDATE changes SET state = 'taken back' WHERE change = ?", (entry.change,))
            for notice in notices:
                self._base.write("INSERT INTO notices VALUES (?, ?, ?)", (entry.run, entry.change, notice))
            for kept, was in things.items():
                self._keep(entry.run, was, kept)
            self._base.write("COMMIT")
            self._add(twin.Event(entry.run, entry.change, "taken back"))

    def keep(self, run: int, was: str, kept: str) -> None:
        """Write down that something goes to the attic, and stays there when its change is over."""
        with self._lock:
            self._keep(run, was, kept)

    def things(self) -> list[Thing]:
        """What is in the attic and belongs to no change any more, the latest first."""
        rows = self._base.rows("SELECT was, kept, since FROM kept ORDER BY since DESC, kept DESC")
        return [
            Thing(restored(was, self._home), restored(kept, self._home), since) for was, kept, since in rows
        ]

    def let_go(self, kept: str) -> None:
        """Write down that something is in the attic no more."""
        with self._lock:
            self._base.write("DELETE FROM kept WHERE kept = ?", (stored(kept, self._home),))

    def notices(self, run: int) -> tuple[str, ...]:
        """What a person should know of the changes of a run that were taken back, whenever that was."""
        return tuple(
            row[0]
            for row in self._base.rows("SELECT notice FROM notices WHERE run = ? ORDER BY rowid", (run,))
        )

    def proved(self, run: int, words: str) -> None:
        """Write down what the proof of a run came to, in a few words."""
        with self._lock:
            self._base.write("UPDATE runs SET proved = ? WHERE run = ?", (words, run))

    def promised(self, run: int, words: str) -> None:
        """Write down what a run promises: JSON that whoever plans understands."""
        with self._lock:
            self._base.write("UPDATE runs SET promised = ? WHERE run = ?", (words, run))
            self._add(twin.Event(run, promised=words))

    def last_promised(self) -> str:
        """What the latest run that stands promised; empty where none did."""
        rows = self._base.rows(
            "SELECT promised FROM runs WHERE taken_back = 0 AND promised <> '' ORDER BY run DESC LIMIT 1"
        )
        return str(rows[0][0]) if rows else ""

    def promises(self) -> dict[int, str]:
        """What each run promised, by its number, the first one first."""
        rows = self._base.rows("SELECT run, promised FROM runs WHERE promised <> '' ORDER BY run")
        return {int(run): str(words) for run, words in rows}

    def latest(self) -> LatestRun | None:
        """The latest run that stands and was made from a manifest; None where there is none."""
        rows = self._base.rows(
            "SELECT run, began, manifest, digest, promised FROM runs WHERE taken_back = 0 AND digest <> ''"
            " ORDER BY run DESC LIMIT 1"
        )
        for run, began, manifest, digest, words in rows:
            return LatestRun(run, began, Path(restored(manifest, self._home)), digest, words)
        return None

    def past_runs(self) -> list[PastRun]:
        """All runs that are known, the latest first."""
        return past_runs(self._base, self._home)

    def unfinished(self) -> list[Entry]:
        """Changes that were begun and neither done nor taken back, the latest first: a run was cut off
        there.
        """
        return self._entries("state = 'begun'", ())

    def entries(self, run: int, *, taken_back: bool = False) -> list[Entry]:
        """The changes of a run, the latest first: those that still stand, or those that were taken back."""
        return self._entries(f"run = ? AND state {'=' if taken_back else '<>'} 'taken back'", (run,))

    def standing_runs(self) -> list[int]:
        """The numbers of the runs of which something still stands, the latest first."""
        return [
            row[0]
            for row in self._base.rows(
                "SELECT run FROM runs WHERE taken_back = 0 AND EXISTS (SELECT 1 FROM changes WHERE"
                " changes.run = runs.run AND state <> 'taken back') ORDER BY run DESC"
            )
        ]

    def runs_over(self) -> list[int]:
        """The numbers of the runs that were taken back."""
        return [row[0] for row in self._base.rows("SELECT run FROM runs WHERE taken_back = 1 ORDER BY run")]

    def runs_left_open(self) -> list[int]:
        """The numbers of the runs of which nothing stands any more, though nobody wrote down that they were
        taken back.
        """
        rows = self._base.rows(
            "SELECT run FROM runs WHERE taken_back = 0 AND NOT EXISTS"
            " (SELECT 1 FROM changes WHERE changes.run = runs.run AND state <> 'taken back')"
        )
        return [row[0] for row in rows]

    def last_run(self) -> int:
        """The number of the last run that ever was; 0 where there was none."""
        return int(
            self._base.rows("SELECT coalesce(max(seq), 0) FROM sqlite_sequence WHERE name = 'runs'")[0][0]
        )

    def began(self, run: int) -> float:
        """When a run began, in seconds since 1970."""
        rows = self._base.rows("SELECT began FROM runs WHERE run = ?", (run,))
        return float(rows[0][0]) if rows else 0.0

    def last_manifest(self) -> Path | None:
        """The manifest of the latest run that still stands."""
        rows = self._base.rows("SELECT manifest FROM runs WHERE taken_back = 0 ORDER BY run DESC LIMIT 1")
        return Path(restored(rows[0][0], self._home)) if rows else None

    def run_taken_back(self, run: int) -> None:
        """Write down that a whole run was taken back."""
        with self._lock:
            self._base.write("UPDATE runs SET taken_back = 1 WHERE run = ?", (run,))

    def resolutions(self) -> dict[tuple[str, str, str], str]:
        """The version that each (runtime, want, feed) was resolved to."""
        rows = self._base.rows("SELECT runtime, want, feed, version FROM resolutions")
        return {(runtime, want, feed): version for runtime, want, feed, version in rows}

    def resolve(self, run: int, runtime: str, want: str, feed: str, version: str) -> None:
        """Write down what a want was resolved to in a run, so that it stays so, and what it meant before."""
        with self._lock:
            rows = self._base.rows(
                "SELECT feed, version FROM resolutions WHERE runtime = ? AND want = ?", (runtime, want)
            )
            before = dict(rows)
            if before == {feed: version}:
                return
            for other in (feed, *before):
                row = run, runtime, want, other, before.get(other, "")
                self._base.write("INSERT OR IGNORE INTO earlier_resolutions VALUES (?, ?, ?, ?, ?)", row)
            self._base.write("DELETE FROM resolutions WHERE runtime = ? AND want = ?", (runtime, want))
            resolved = runtime, want, feed, version
            self._base.write("INSERT OR REPLACE INTO resolutions VALUES (?, ?, ?, ?)", resolved)
            self._add(twin.Event(twin.last_run(self.attic), resolved=resolved))

    def unresolve(self, run: int) -> None:
        """Have the wants mean what they did before a run. One that a later run resolved again keeps that,
        until that run is undone too.
        """
        same = "runtime = ? AND want = ? AND feed = ?"
        with self._lock:
            rows = self._base.rows(
                "SELECT runtime, want, feed, version FROM earlier_resolutions WHERE run = ?", (run,)
            )
            for *key, version in rows:
                later = self._base.rows(
                    f"SELECT min(run) FROM earlier_resolutions WHERE run > ? AND {same}", (run, *key)
                )[0][0]
                if later is not None:
                    self._base.write(
                        f"UPDATE earlier_resolutions SET version = ? WHERE run = ? AND {same}",
                        (version, later, *key),
                    )
                elif version:
                    self._base.write(
                        "INSERT OR REPLACE INTO resolutions VALUES (?, ?, ?, ?)", (*key, version)
                    )
                else:
                    self._base.write(f"DELETE FROM resolutions WHERE {same}", tuple(key))
            self._base.write("DELETE FROM earlier_resolutions WHERE run = ?", (run,))

    def wrote(self, path: str) -> frozenset[str]:
        """The digests of what the runs that stand wrote into a file; none where one of them does not tell."""
        rows = self._base.rows(
            "SELECT json_extract(record, '$.after_digest') FROM changes"
            " WHERE state = 'done' AND json_extract(record, '$.path') = ?",
            (stored(path, self._home),),
        )
        return frozenset(row[0] for row in rows if row[0]) if all(row[0] for row in rows) else frozenset()

    def standing_writes(self) -> list[StandingWrite]:
        """The files that runs wrote and versions that they installed, where that still stands, each as the
        latest run left it, with the paths of this home.
        """
        rows = self._base.rows(
            "SELECT kind, subject, coalesce(json_extract(record, '$.path'), json_extract(record, '$.folder'))"
            " AS place, coalesce(json_extract(record, '$.after_digest'), ''), max(change) FROM changes"
            " WHERE state = 'done' AND place <> '' GROUP BY place ORDER BY change"
        )
        return [
            StandingWrite(kind, subject, Path(restored(place, self._home)), digest)
            for kind, subject, place, digest, _ in rows
        ]

    def stored_records(self) -> bytes:
        """The records of all changes as they are stored, but for those of versions that were undone: one that
        is installed now was installed in another way.
        """
        rows = self._base.rows(
            "SELECT record FROM changes WHERE state <> 'taken back' OR kind NOT IN ('version',"
            " 'managed-version')"
        )
        return b"\0".join(row[0].encode() for row in rows)

    def placed(self, folder: str) -> bool:
        """Whether a run that stands put something into this folder of the shelf."""
        return bool(
            self._base.rows(
                "SELECT 1 FROM changes WHERE state = 'done' AND json_extract(record, '$.folder') = ? LIMIT 1",
                (stored(folder, self._home),),
            )
        )

    def did(self, kind: str, subject: str) -> bool:
        """Whether a run that stands made a change of this kind to this subject."""
        return bool(
            self._base.rows(
                "SELECT 1 FROM changes WHERE state = 'done' AND kind = ? AND subject = ? LIMIT 1",
                (kind, subject),
            )
        )

    def add_from(self, events: Iterable[twin.Event]) -> None:
        """Take what a twin tells into a new journal."""
        changes: dict[tuple[int, int], int] = {}
        with self._lock:
            self._base.write("BEGIN")
            for event in events:
                key = event.run, event.change
                if event.resolved:
                    self._base.write(
                        "DELETE FROM resolutions WHERE runtime = ? AND want = ?", event.resolved[:2]
                    )
                    self._base.write("INSERT OR REPLACE INTO resolutions VALUES (?, ?, ?, ?)", event.resolved)
                elif event.promised:
                    self._base.write(
                        "UPDATE runs SET promised = ? WHERE run = ?", (event.promised, event.run)
                    )
                elif not event.change:
                    row: tuple[object, ...] = (event.run, event.began, event.began, event.manifest)
                    self._base.write(
                        "INSERT OR IGNORE INTO runs (run, began, ended, manifest) VALUES (?, ?, ?, ?)", row
                    )
                elif key not in changes and event.kind:
                    row = (
                        event.run,
                        event.kind,
                        event.subject,
                        event.action,
                        bytes(event.record).decode(),
                        event.state,
                    )
                    changes[key] = self._base.write(
                        "INSERT INTO changes (run, kind, subject, action, record, state) VALUES (?, ?, ?, ?,"
                        " ?, ?)",
                        row,
                    )
                elif key in changes:
                    self._base.write(
                        "UPDATE changes SET state = ? WHERE change = ?", (event.state, changes[key])
                    )
                    if bytes(event.record) != b"null":
                        row = (bytes(event.record).decode(), changes[key])
                        self._base.write("UPDATE changes SET record = ? WHERE change = ?", row)
            self._base.write(
                "UPDATE runs SET taken_back = 1 WHERE NOT EXISTS"
                " (SELECT 1 FROM changes WHERE changes.run = runs.run AND state <> 'taken back')"
            )
            self._base.write("COMMIT")

    def _keep(self, run: int, was: str, kept: str) -> None:
        row = stored(kept, self._home), stored(was, self._home), run, time.time()
        self._base.write("INSERT OR REPLACE INTO kept VALUES (?, ?, ?, ?)", row)

    def _add(self, event: twin.Event) -> None:
        if self.on_disk:
            twin.add(self.attic, event)

    def _entries(self, condition: str, values: tuple[int, ...]) -> list[Entry]:
        rows = self._base.rows(
            f"SELECT change, run, kind, subject, action, record, state FROM changes WHERE {condition} ORDER"
            " BY change DESC",
            values,
        )
        return [
            Entry(row[0], row[1], row[2], row[3], row[4], restored_json(row[5].encode(), self._home), row[6])
            for row in rows
        ]
