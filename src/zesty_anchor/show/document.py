"""Results as one JSON document, in the shapes that docs/json.md gives."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import msgspec

from zesty_anchor.engine.outcome import Outcome, TakenBack
from zesty_anchor.engine.questions import AnswersNeeded
from zesty_anchor.planning.newer import Affected, Beyond, Newer
from zesty_anchor.planning.plan import Plan
from zesty_anchor.planning.projects import Project
from zesty_anchor.planning.rehearsed import Rehearsed
from zesty_anchor.show.shapes import (
    DismantledAs,
    ErrorTold,
    Failed,
    OpenQuestion,
    PendingChange,
    Previewed,
    Provisioned,
    RehearsedAs,
    TakenBackAs,
    Upgraded,
)
from zesty_anchor.system.credentials import without_credentials
from zesty_anchor.system.problem import Problem, Problems
from zesty_anchor.system.visible import escaped_in_json


def encode(document: Any) -> str:
    """A document as text, indented by two, without names and passwords in addresses, and with nothing in it
    that a terminal would obey.
    """
    text = msgspec.json.format(msgspec.json.encode(document), indent=2).decode()
    return escaped_in_json(without_credentials(text))


def failed(error: Problem) -> Failed:
    """Any command that ends with an error: its exit code, each thing that is wrong, and what is asked."""
    each = error.each if isinstance(error, Problems) else [error]
    asked = error.questions if isinstance(error, AnswersNeeded) else ()
    return Failed(
        error.code,
        tuple(ErrorTold(e.what, e.where, e.advice) for e in each),
        tuple(OpenQuestion(q.kind, q.text, q.key) for q in asked),
    )


def preview(seen: Plan) -> Previewed:
    """``preview``."""
    return Previewed(
        pending=len(seen.changes),
        changes=tuple(PendingChange(c.kind, c.subject, c.action, c.detail) for c in seen.reports),
        notices=tuple(seen.notices),
        questions=tuple(OpenQuestion(q.kind, q.text, q.key) for q in seen.questions),
        privileged=tuple(seen.commands),
        differences=seen.differences,
    )


def outcome(done: Outcome) -> Provisioned:
    """``provision``."""
    return Provisioned(**_outcome(done))


def upgraded(
    done: Outcome,
    newer: Sequence[Newer],
    affected: Sequence[Affected],
    beyond: Sequence[Beyond],
    pinned: Sequence[Project],
) -> Upgraded:
    """``upgrade``."""
    return Upgraded(
        **_outcome(done),
        newer=tuple(newer),
        affected=tuple(affected),
        beyond=tuple(beyond),
        pinned=tuple(pinned),
    )


def rehearsed(found: Rehearsed) -> RehearsedAs:
    """``rehearse``: what ``provision`` would print, and the rest."""
    told = {**_outcome(found.outcome), "reload": ""}
    return RehearsedAs(
        **told,
        back=found.back,
        touched=found.touched,
        compared=found.compared,
        ok=found.well,
        seconds=found.seconds,
        root=found.root,
    )


def _outcome(done: Outcome) -> dict[str, Any]:
    return {
        "changed": done.changed,
        "failed": done.failed,
        "changes": done.changes,
        "proof": done.proof,
        "notices": done.notices,
        "reload": done.reload,
        "administrator": done.errands,
    }


def taken_back(taken: TakenBack) -> TakenBackAs:
    """``undo`` and ``remove``."""
    return TakenBackAs(**_taken_back(taken))


def dismantled(taken: TakenBack, removed: tuple[str, ...], kept: str) -> DismantledAs:
    """``dismantle``."""
    return DismantledAs(**_taken_back(taken), removed=removed, kept=kept)


def _taken_back(taken: TakenBack) -> dict[str, Any]:
    number = sum(change.outcome == "undone" for change in taken.changes)
    return {"undone": number, "changes": taken.changes, "notices": taken.notices}
