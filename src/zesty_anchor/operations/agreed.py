"""Asking once whether a manifest may run what it names."""

from __future__ import annotations

from zesty_anchor.engine.questions import AnswersNeeded, Declined
from zesty_anchor.operations.person import Person
from zesty_anchor.planning.agreement import agree, check_hands, question
from zesty_anchor.planning.workstation import Workstation


def agreed(workstation: Workstation, person: Person) -> None:
    """Return where the manifest is the person's own, or they agree to it now; that is kept.

    Raises ``UsageProblem`` where it is in other hands, ``AnswersNeeded`` where nobody can be asked,
    ``Declined`` after a no.
    """
    check_hands(workstation)
    asked = question(workstation, person.trusted)
    if asked is None:
        return
    if person.asker is None:
        raise AnswersNeeded([asked])
    if not person.asker.yes(asked):
        raise Declined(
            f"{workstation.locations.shown(workstation.file)} is not used",
            advice="to read what it would do: zesty-anchor preview; nothing was changed",
        )
    agree(workstation)
