"""What may run with privilege: programs that root alone can change."""

from __future__ import annotations

from pathlib import Path

import pytest

from zesty_anchor.system import root_hand
from zesty_anchor.system.privilege import Access, Hands
from zesty_anchor.system.trusted import trusted_words


@pytest.fixture
def ran(monkeypatch: pytest.MonkeyPatch) -> list[object]:
    """What would have been run."""
    done: list[object] = []
    monkeypatch.setattr(root_hand, "run_here", lambda words, hear: done.append(words) or 0)
    return done


def test_a_program_that_others_may_change_is_not_run_as_root(open_room: Path, ran: list[object]) -> None:
    program = open_room / "tide"
    program.write_text("#!/bin/sh\n")
    program.chmod(0o777)
    heard: list[str] = []
    assert Hands(Access("root"), lambda text: None).run((str(program),), heard.append) == 127
    assert ran == []
    assert heard == [f"{program} is not run as root, because other users can change it or its folder"]


def test_one_of_the_system_is_run_by_its_whole_path(ran: list[object]) -> None:
    assert Hands(Access("root"), lambda text: None).run(("env", "A=b", "true"), lambda text: None) == 0
    assert ran == [trusted_words(("env", "A=b", "true"))]
    (words,) = ran
    assert str(words[0]).startswith("/") and str(words[2]).startswith("/")  # type: ignore[index]


def test_behind_env_too_the_program_is_looked_at(open_room: Path) -> None:
    program = open_room / "tide"
    program.write_text("#!/bin/sh\n")
    program.chmod(0o777)
    assert trusted_words(("env", "A=b", str(program))) is None
    assert trusted_words(("no-such-program-anywhere",)) is None
