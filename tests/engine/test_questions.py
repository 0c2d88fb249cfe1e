"""What is asked, of whom, and what a missing answer means."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.engine.test_run import Mark
from zesty_anchor.changes.question import Question
from zesty_anchor.engine.questions import PASSWORD, AnswersNeeded, Declined, estimate, gather, settle
from zesty_anchor.system.privilege import NO_ACCESS, Access

SAFE = Question("conflict", "take it away?", "[[conflicts.remove]]", safe=True)
LICENCE = Question("licence", "accept it?", 'licence = "accepted"')


class Saying:
    def __init__(self, answer: bool) -> None:
        self.answer = answer
        self.heard: list[Question] = []

    def yes(self, question: Question) -> bool:
        self.heard.append(question)
        return self.answer


def test_each_question_once_and_the_password_last() -> None:
    changes = [
        Mark("a", Path(), privileged=True, questions=(SAFE, LICENCE)),
        Mark("b", Path(), questions=(LICENCE,)),
    ]
    asked = gather(changes, Access("sudo", "/usr/bin/sudo", password=True))
    assert [q.kind for q in asked] == ["conflict", "licence", PASSWORD]
    assert [q.kind for q in gather(changes, Access("sudo", "/usr/bin/sudo"))] == ["conflict", "licence"]
    assert PASSWORD not in [q.kind for q in gather(changes[1:], Access("sudo", "x", password=True))]
    assert PASSWORD not in [q.kind for q in gather(changes, NO_ACCESS)]


def test_without_anyone_to_ask_all_open_ones_are_listed_with_their_keys() -> None:
    password = gather([Mark("a", Path(), privileged=True)], Access("sudo", "x", password=True))
    with pytest.raises(AnswersNeeded) as caught:
        settle([SAFE, LICENCE, *password], None, yes=False)
    assert caught.value.code == 5
    for word in (SAFE.key, LICENCE.key, "allow sudo without a password", "3 questions"):
        assert word in caught.value.what
    with pytest.raises(AnswersNeeded) as caught:
        settle([SAFE, LICENCE], None, yes=True)
    assert SAFE.text not in caught.value.what, "--yes answers what is safe, and nothing else"
    settle([SAFE], None, yes=True)


def test_a_person_is_asked_what_yes_may_not_answer() -> None:
    person = Saying(True)
    settle([SAFE, LICENCE], person, yes=True)
    assert person.heard == [LICENCE]
    with pytest.raises(Declined) as caught:
        settle([SAFE], Saying(False), yes=False)
    assert SAFE.key in caught.value.advice


def test_the_estimate_counts_what_is_fetched() -> None:
    changes = [
        Mark("a", Path(), fetches=True, size=5),
        Mark("b", Path(), fetches=True),
        Mark("c", Path(), fetches=True, size=7),
        Mark("d", Path()),
    ]
    ahead = estimate(changes)
    assert (ahead.steps, ahead.size, ahead.unknown) == (4, 12, 1)
