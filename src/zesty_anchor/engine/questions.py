"""Everything that must be decided before the first change: gathered from the changes, asked all at once."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Protocol

from zesty_anchor.changes.change import Change
from zesty_anchor.changes.question import Question
from zesty_anchor.engine.outcome import Estimate
from zesty_anchor.system.privilege import Access
from zesty_anchor.system.problem import Problem


class Asker(Protocol):
    """Whoever can be asked."""

    def yes(self, question: Question) -> bool:
        """Ask one question; True for yes."""

    def secret(self, question: Question, *, twice: bool = True) -> str:
        """Ask for a text that is not shown; ``twice`` where nothing else would notice a slip."""


class AnswersNeeded(Problem):
    """Questions are open, and nobody is there to ask, or may answer them so."""

    code = 5

    def __init__(self, questions: Iterable[Question]) -> None:
        self.questions = tuple(questions)
        lines = "".join(f"\n    {q.text}\n      answer: {q.key}" for q in self.questions)
        number = len(self.questions)
        super().__init__(
            f"{number} question{'' if number == 1 else 's'} must be answered first, and there is nobody to"
            f" ask:{lines}",
            advice="run it in a terminal, or give the answers as shown; nothing was changed",
        )


class Declined(Problem):
    """A person said no to what cannot be done without."""

    code = 5


PASSWORD = "password"


def gather(changes: Iterable[Change], access: Access) -> list[Question]:
    """The questions that are open, each once, the password last. Pure."""
    listed = list(changes)
    found = dict.fromkeys(question for change in listed for question in change.questions)
    if access.password and any(change.privileged for change in listed):
        found[password_question(access)] = None
    return list(found)


def password_question(access: Access) -> Question:
    """The question of the password: a terminal answers it, for sudo also ``--password-stdin``."""
    sent = ", send it with --password-stdin" if access.way == "sudo" else ""
    return Question(
        PASSWORD,
        f"{access.way} wants the password for what needs privilege",
        f"run it in a terminal{sent}, or allow {access.way} without a password for this user",
    )


def estimate(changes: Iterable[Change]) -> Estimate:
    """How much work the changes are."""
    listed = list(changes)
    sizes = [change.size for change in listed if change.fetches]
    return Estimate(len(listed), sum(size or 0 for size in sizes), sum(size is None for size in sizes))


def settle(questions: Iterable[Question], asker: Asker | None, *, yes: bool) -> dict[str, str]:
    """Get an answer to each question but the password's: from ``--yes`` where it is safe, else from the
    asker.

    Returns the secret answers by the kinds of their questions, and those to optional ones by their texts: yes
    or no.

    Raises ``AnswersNeeded`` with all that stay open where there is nobody to ask, ``Declined`` on a no.
    """
    open_ones = [q for q in questions if not (yes and q.safe)]
    if open_ones and asker is None:
        raise AnswersNeeded(open_ones)
    secrets: dict[str, str] = {}
    for question in open_ones:
        if question.secret and asker is not None:
            secrets[question.kind] = asker.secret(question)
        elif question.optional and asker is not None:
            secrets[question.text] = "yes" if asker.yes(question) else "no"
        elif question.kind != PASSWORD and asker is not None and not asker.yes(question):
            raise Declined(
                f"not without a yes to: {question.text}",
                advice="nothing was changed; take it out of the manifest, or answer yes for good with: "
                + question.key,
            )
    return secrets
