"""Results as one JSON document, in the shapes that docs/how-it-works.md gives."""

from __future__ import annotations

from typing import Any

import msgspec

from zesty_anchor.engine.outcome import ChangeReport, Outcome, TakenBack
from zesty_anchor.planning.plan import Plan
from zesty_anchor.planning.rehearsed import Rehearsed
from zesty_anchor.system.credentials import without_credentials
from zesty_anchor.system.problem import Problem, Problems
from zesty_anchor.system.visible import escaped_in_json


def encode(document: Any) -> str:
    """A document as text, indented by two, without names and passwords in addresses, and with nothing in it that a terminal
    would obey.
    """
    text = msgspec.json.format(msgspec.json.encode(document), indent=2).decode()
    return escaped_in_json(without_credentials(text))


def failed(error: Problem) -> dict[str, Any]:
    """Any command that ends with an error: its exit code, and each thing that is wrong."""
    each = error.each if isinstance(error, Problems) else [error]
    return {"code": error.code, "errors": [{"what": e.what, "where": e.where, "advice": e.advice} for e in each]}


def preview(seen: Plan) -> dict[str, Any]:
    """``preview``."""
    return {
        "pending": len(seen.changes),
        "changes": [_change(change) for change in seen.reports],
        "notices": seen.notices,
        "questions": [{"kind": q.kind, "text": q.text, "answer": q.key} for q in seen.questions],
        "privileged": seen.commands,
    }


def outcome(done: Outcome) -> dict[str, Any]:
    """``provision``."""
    changes = [
        {**_change(c), "outcome": c.outcome, "problem": c.problem, "where": c.where, "advice": c.advice}
        for c in done.changes
    ]
    return {
        "changed": done.changed,
        "failed": done.failed,
        "changes": changes,
        "proof": done.proof,
        "notices": done.notices,
        "reload": done.reload,
        "administrator": done.errands,
    }


def rehearsed(found: Rehearsed) -> dict[str, Any]:
    """``rehearse``: what ``provision`` would print, and the rest."""
    return {
        **outcome(found.outcome),
        "reload": "",
        "back": found.back,
        "touched": found.touched,
        "compared": found.compared,
        "well": found.well,
        "seconds": found.seconds,
    }


def taken_back(taken: TakenBack) -> dict[str, Any]:
    """``undo`` and ``dismantle``."""
    return {
        "taken_back": sum(change.outcome == "taken back" for change in taken.changes),
        "changes": [{**_change(change), "outcome": change.outcome} for change in taken.changes],
        "notices": taken.notices,
    }


def _change(change: ChangeReport) -> dict[str, str]:
    return {"kind": change.kind, "subject": change.subject, "action": change.action, "detail": change.detail}
