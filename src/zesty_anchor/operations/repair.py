"""Repairing what a verification found: each fix is offered, and what is taken is one run."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import msgspec

from zesty_anchor.changes.kinds import KINDS
from zesty_anchor.changes.person.repair import Repair
from zesty_anchor.changes.question import Question
from zesty_anchor.engine.opening import past
from zesty_anchor.engine.outcome import Outcome
from zesty_anchor.engine.questions import settle
from zesty_anchor.files.edit import Edit, lines_of, taken_out
from zesty_anchor.files.text_file import TextFile
from zesty_anchor.operations.person import Person
from zesty_anchor.operations.provision import provision
from zesty_anchor.operations.running import carry_out_alone
from zesty_anchor.operations.verify import verify
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.proof.fixes import Fix
from zesty_anchor.proof.prove import Asking
from zesty_anchor.proof.verified import PROVISION, Verified

_KEY = "zesty-anchor verify --fix, at a terminal"


def repair(
    workstation: Workstation,
    person: Person,
    asking: Asking,
    *,
    deep: bool = False,
    show: Callable[[Verified], object] = lambda seen: None,
) -> tuple[Verified, Outcome | None]:
    """Verify, ``show`` what was found, offer each fix with its diff, carry out those that the person takes as
    one run, and verify again. Returns what is found in the end; the outcome is None where nothing was taken.
    With ``person.yes`` only what zesty-anchor wrote is repaired, and nobody is asked.

    Raises ``AnswersNeeded`` where there is something to ask and nobody to ask it.
    """
    seen, fixes = verify(workstation, person, asking, deep=deep, earlier=True)
    show(seen)
    outcome = None if seen.ok and not fixes else _repair(workstation, person, seen, fixes, deep=deep)
    if outcome is None:
        return seen, None
    fresh = msgspec.structs.replace(workstation, past=past(workstation.locations, lambda: KINDS))
    return verify(fresh, person, asking, deep=deep)[0], outcome


def _repair(
    workstation: Workstation, person: Person, seen: Verified, fixes: Sequence[Fix], *, deep: bool
) -> Outcome | None:
    offered = [] if person.yes else [_question(fix, workstation) for fix in fixes]
    ours = _ours(seen)
    asked = [*([ours] if ours is not None else []), *offered]
    answers = settle(asked, person.asker, yes=person.yes)
    taken = [fix for fix, question in zip(fixes, offered, strict=False) if answers[question.text] == "yes"]
    changes = [
        Repair(Edit(file, content), workstation.locations.shown(file.path)) for file, content in _edits(taken)
    ]
    if ours is not None and answers.get(ours.text, "yes" if person.yes else "no") == "yes":
        return provision(workstation, person, more=(), first=changes, deep=deep, is_agreed=True)
    if not changes:
        return None
    if ours is None:
        return provision(workstation, person, more=(), first=changes, is_agreed=True)
    done = carry_out_alone(person, workstation, changes)
    return Outcome(tuple(done.changes), notices=("what zesty-anchor wrote was left as it is",))


def _question(fix: Fix, workstation: Workstation) -> Question:
    shown = workstation.locations.shown(fix.file.path)
    text = f"{fix.cause.place}: {fix.cause.what}. {fix.text[0].upper()}{fix.text[1:]}?"
    return Question("fix", text, _KEY, to_read=Edit(fix.file, fix.after).diff(shown), optional=True)


def _ours(seen: Verified) -> Question | None:
    """Whether to run ``provision``, where that repairs something."""
    places = [each.place for each in seen.drift]
    places += [c.cause.place for _, c in seen.proof.failures if c.fix.startswith(PROVISION) and c.cause]
    if not places:
        return None
    named = list(dict.fromkeys(filter(None, places)))
    more = f" and {len(named) - 3} more" if len(named) > 3 else ""
    text = f"repair what zesty-anchor wrote ({', '.join(named[:3])}{more}) with: {PROVISION}?"
    return Question("fix", text, "--yes", safe=True, optional=True)


def _edits(fixes: Sequence[Fix]) -> list[tuple[TextFile, bytes]]:
    """One edit for each file: several fixes of one are put together. One that meets a line of another is
    left out. Pure.
    """
    found: dict[str, tuple[TextFile, bytes]] = {}
    for fix in fixes:
        key, before = str(fix.file.target), fix.file.content or b""
        _, now = found.get(key, (fix.file, before))
        rows = taken_out(lines_of(fix.after), lines_of(before), lines_of(now))
        if rows is not None:
            found[key] = (fix.file, b"".join(rows))
    return list(found.values())
