"""The shapes of what ``--json`` prints: a type for each document, from which its schema and docs/json.md are
made.
"""

from __future__ import annotations

from typing import Any

import msgspec

from zesty_anchor.changes.kept import Kept
from zesty_anchor.engine.outcome import ChangeReport, RunDone
from zesty_anchor.engine.past_runs import PastRun
from zesty_anchor.manifest.lock import Locked
from zesty_anchor.planning.base import PinnedBases
from zesty_anchor.planning.choices import Choice
from zesty_anchor.planning.explained import Explained
from zesty_anchor.planning.listing import Listing, RuntimeKnown
from zesty_anchor.planning.mirrored import ChangedFile, Mirrored, MirrorMade
from zesty_anchor.planning.newer import Affected, Beyond, Newer
from zesty_anchor.planning.pages import Page
from zesty_anchor.planning.projects import Project
from zesty_anchor.planning.prunable import Pruned
from zesty_anchor.planning.reported import Report
from zesty_anchor.planning.spread import Spread
from zesty_anchor.planning.status import Status
from zesty_anchor.planning.traced import Traced
from zesty_anchor.proof.result import Proof
from zesty_anchor.proof.verified import Verified
from zesty_anchor.survey.findings import Findings
from zesty_anchor.survey.startup.past_costs import Timed


class PendingChange(msgspec.Struct, frozen=True):
    """A change that would be made: its kind, what it is about, what is done to it, and the details, of a file
    the diff.
    """

    kind: str
    subject: str
    action: str
    detail: str


class OpenQuestion(msgspec.Struct, frozen=True):
    """What would be asked, and the key or option that answers it."""

    kind: str
    text: str
    answer: str


class Previewed(msgspec.Struct, frozen=True):
    """``pending`` is how many changes there are, ``differences`` what would be new, other or gone;
    ``privileged`` are the commands that need privilege.
    """

    pending: int
    changes: tuple[PendingChange, ...]
    notices: tuple[str, ...]
    questions: tuple[OpenQuestion, ...]
    privileged: tuple[str, ...]
    differences: tuple[str, ...] = ()


class Provisioned(msgspec.Struct, frozen=True):
    """How many changes were made, how many failed, and each of them; the checks in new shells (null: none
    were run); the line that updates an open shell; and the commands for an administrator, if there was no
    way to get privilege.
    """

    changed: int
    failed: int
    changes: tuple[ChangeReport, ...]
    proof: Proof | None
    notices: tuple[str, ...]
    reload: str
    administrator: tuple[str, ...]


class Upgraded(Provisioned, frozen=True):
    """What an upgrade did, with what was newer before, what uses the versions that move, what other wants
    would give, and the pins of projects that moved.
    """

    newer: tuple[Newer, ...] = ()
    affected: tuple[Affected, ...] = ()
    beyond: tuple[Beyond, ...] = ()
    pinned: tuple[Project, ...] = ()


class RehearsedAs(Provisioned, frozen=True):
    """As ``provision``, in a copy of the home. ``back`` are paths that differed after undo, ``touched``
    those of the real home that changed meanwhile, out of ``compared``. ``root`` is the root folder that
    was copied, if one was named.
    """

    back: tuple[str, ...]
    touched: tuple[str, ...]
    compared: int
    ok: bool
    seconds: float
    root: str = ""


class TakenBackAs(msgspec.Struct, frozen=True):
    """How many changes were undone, the result of each, and notes."""

    undone: int
    changes: tuple[ChangeReport, ...]
    notices: tuple[str, ...]


class DismantledAs(TakenBackAs, frozen=True):
    """The folders that were removed, and the folder in the home that has what was still in the attic (empty:
    nothing was).
    """

    removed: tuple[str, ...]
    kept: str


class StandingRuns(msgspec.Struct, frozen=True):
    """The runs that can be undone, the latest first."""

    runs: tuple[RunDone, ...]


class Runs(msgspec.Struct, frozen=True):
    """All runs that are known, the latest first."""

    runs: tuple[PastRun, ...]


class InAttic(msgspec.Struct, frozen=True):
    """What is in the attic, the latest first."""

    kept: tuple[Kept, ...]


class ThrownAway(msgspec.Struct, frozen=True):
    """What was deleted."""

    deleted: tuple[Kept, ...]


class Listings(msgspec.Struct, frozen=True):
    """Each runtime of the manifest; of none what its feeds offer."""

    runtimes: tuple[Listing, ...]


class Newest(msgspec.Struct, frozen=True):
    """A row for each want of the manifest."""

    newer: tuple[Newer, ...]


class Projects(msgspec.Struct, frozen=True):
    """The folders that pin versions, the latest first."""

    projects: tuple[Project, ...]


class Recipes(msgspec.Struct, frozen=True):
    """The available runtimes."""

    recipes: tuple[RuntimeKnown, ...]


class DefaultChosen(msgspec.Struct, frozen=True):
    """The manifest with the new default, and whether its checks passed: otherwise everything was undone."""

    runtime: str
    want: str
    manifest: str
    ok: bool


class Located(msgspec.Struct, frozen=True):
    """A version, and its folder."""

    runtime: str
    version: str
    folder: str


class Exported(msgspec.Struct, frozen=True):
    """Environment variables with their values."""

    variables: dict[str, str]


class LockWritten(msgspec.Struct, frozen=True):
    """The file, and what it holds."""

    lock: str
    releases: tuple[Locked, ...]


class CacheKey(msgspec.Struct, frozen=True):
    """A text that changes when what a build machine keeps may no longer serve."""

    digest: str


class MirrorChecked(msgspec.Struct, frozen=True):
    """How many files a mirror has, and those that are not as they were put there."""

    files: int
    wrong: tuple[ChangedFile, ...]


class MirrorPruned(msgspec.Struct, frozen=True):
    """The files that were deleted from a mirror."""

    deleted: tuple[Mirrored, ...]


class Pages(msgspec.Struct, frozen=True):
    """The pages of the documentation."""

    pages: tuple[Page, ...]


class PageText(msgspec.Struct, frozen=True):
    """One page, in Markdown."""

    name: str
    text: str


class PublicKey(msgspec.Struct, frozen=True):
    """The public half of the person's key, as it stands in its file."""

    public_key: str


class Drafted(msgspec.Struct, frozen=True):
    """The manifest that was written."""

    file: str


class ErrorTold(msgspec.Struct, frozen=True):
    """What is wrong, where, and the next thing to do."""

    what: str
    where: str
    advice: str


class Failed(msgspec.Struct, frozen=True):
    """Any command that ends with an error: its exit status, each thing that is wrong, and the questions that
    are open.
    """

    code: int
    errors: tuple[ErrorTold, ...]
    questions: tuple[OpenQuestion, ...] = ()


DOCUMENTS: dict[str, Any] = {
    "status": Status,
    "survey": Findings,
    "draft FILE": Drafted,
    "preview": Previewed,
    "provision": Provisioned,
    "rehearse": RehearsedAs,
    "verify": Verified,
    "undo": TakenBackAs,
    "undo --list": StandingRuns,
    "history": Runs,
    "history RUN": PastRun,
    "timing": Timed,
    "report": Report,
    "dismantle": DismantledAs,
    "attic": InAttic,
    "attic empty": ThrownAway,
    "list": Listings,
    "list RUNTIME": Listing,
    "list --newer": Newest,
    "list, without a manifest": Recipes,
    "projects": Projects,
    "switch RUNTIME": Choice,
    "switch RUNTIME WANT --default": DefaultChosen,
    "export": Exported,
    "locate RUNTIME": Located,
    "trace NAME": Traced,
    "explain NAME": Explained,
    "identity": PublicKey,
    "remove RUNTIME VERSION": TakenBackAs,
    "upgrade": Upgraded,
    "prune": Pruned,
    "lock": LockWritten,
    "lock --digest": CacheKey,
    "lock --base": PinnedBases,
    "mirror": MirrorMade,
    "mirror --check": MirrorChecked,
    "mirror --prune": MirrorPruned,
    "across": Spread,
    "docs": Pages,
    "docs NAME": PageText,
    "any, with an error": Failed,
}
"""What each use of a command prints."""


def schema_of(use: str) -> dict[str, Any]:
    """The JSON Schema (draft 2020-12) of one of ``DOCUMENTS``. Raises ``KeyError`` for another."""
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": use,
        **msgspec.json.schema(DOCUMENTS[use]),
    }
