"""What the journal tells of runs that are over."""

from __future__ import annotations

import msgspec

from zesty_anchor.engine.database import Database
from zesty_anchor.engine.home_paths import restored


class PastChange(msgspec.Struct, frozen=True):
    """One change of a run: its state is done, undone or begun; ``seconds`` is how long it took, ``began``
    when it began (seconds since 1970; both 0: not known).
    """

    kind: str
    action: str
    subject: str
    state: str
    seconds: float
    began: float = 0.0


class PastRun(msgspec.Struct, frozen=True):
    """One run: when it began and ended (seconds since 1970), its manifest with the SHA-256 (empty: not
    known), the result of its checks, its changes in order, what is still in the attic, and whether it was
    undone.
    """

    run: int
    began: float
    ended: float
    manifest: str
    digest: str
    verified: str
    changes: tuple[PastChange, ...]
    attic: tuple[str, ...]
    notices: tuple[str, ...]
    undone: bool
    log: str = ""
    """The folder of its log, where it is still there."""
    differences: tuple[str, ...] = ()
    """What was new, other or gone after it, a line each."""


def past_runs(base: Database, home: str) -> list[PastRun]:
    """All of them, the latest first, with the paths of this home."""
    found = []
    for run, began, ended, manifest, digest, proved, over in base.rows(
        "SELECT run, began, coalesce(ended, began), manifest, digest, proved, taken_back FROM runs ORDER BY"
        " run DESC"
    ):
        rows = base.rows(
            "SELECT kind, action, subject, state, began, ended FROM changes WHERE run = ? ORDER BY change",
            (run,),
        )
        changes = tuple(
            PastChange(
                kind,
                action,
                subject,
                "undone" if state == "taken back" else state,  # as the database has it
                max(0.0, until - since) if since and until else 0.0,
                since or 0.0,
            )
            for kind, action, subject, state, since, until in rows
        )
        attic = tuple(
            restored(row[0], home)
            for row in base.rows("SELECT was FROM kept WHERE run = ? ORDER BY was", (run,))
        )
        notices = tuple(
            row[0] for row in base.rows("SELECT notice FROM notices WHERE run = ? ORDER BY rowid", (run,))
        )
        manifest = restored(manifest, home)
        found.append(
            PastRun(run, began, ended, manifest, digest, proved, changes, attic, notices, bool(over))
        )
    return found
