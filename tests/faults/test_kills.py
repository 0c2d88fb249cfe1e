"""SIGKILL at the journal's boundaries and at random moments, with a person at work in between: nothing is
lost, the next run finishes and proves, and undo leaves nothing of ours.

A sample is run by default; ``sh scripts/faults`` sets ZESTY_ANCHOR_FAULTS=all and runs every boundary and 200
random moments.
"""

from __future__ import annotations

import os
import random
import shutil
from collections.abc import Callable
from pathlib import Path

import pytest

from tests.conftest import Desk
from tests.faults.world import Person, ends_well, furnish, home_of, run_killed, run_until, settle, shells_well

pytestmark = pytest.mark.needs("bash", "zsh", "fish", "git", "ssh")
ALL = os.environ.get("ZESTY_ANCHOR_FAULTS") == "all"
COUNTED = os.environ.get("ZESTY_ANCHOR_FAULTS_COUNTED", "")
"""The file that gets a line for each cut-off after which all held."""
CASES = ("provision", "undo", "switch", "remove", "dismantle")


@pytest.fixture
def tide(desk: Desk, harbour: str) -> Desk:
    furnish(desk, harbour)
    return desk


WORDS = {
    "provision": ("provision",),
    "undo": ("undo",),
    "switch": ("switch", "kelp", "3.6", "--default"),
    "remove": ("remove", "kelp", "3.6.2"),
    "dismantle": ("dismantle", "--yes"),
}


def prepare(desk: Desk, case: str) -> None:
    """What must stand before the command makes sense."""
    if case != "provision":
        assert desk.run("provision").code == 0
    if case == "remove":
        desk.manifest.write_text(desk.manifest.read_text().replace('also = ["3.6"]\n', ""))


def boundaries(desk: Desk, case: str, tmp_path: Path) -> int:
    """How many boundaries a command has that is not cut off."""
    count = tmp_path / "count"
    assert run_killed(desk, 0, count, *WORDS[case]) == 0
    return int(count.read_text())


def chosen(case: str, last: int) -> list[int]:
    """Every boundary, or a few that are others in each run of the tests."""
    if ALL:
        return list(range(1, last + 1))
    return sorted(random.sample(range(1, last + 1), 2 if case == "provision" else 1))


@pytest.mark.parametrize("case", CASES)
def test_killed_at_a_boundary(tide: Desk, tmp_path: Path, case: str) -> None:
    untouched = tmp_path / "untouched"
    prepare(tide, case)
    shutil.copytree(tide.home, untouched, symlinks=True)
    for boundary in chosen(case, boundaries(tide, case, tmp_path)):
        again(tide, untouched)
        check(
            tide,
            case,
            lambda at=boundary: run_killed(tide, at, tmp_path / "count", *WORDS[case]),
            f"boundary {boundary}",
        )


@pytest.mark.parametrize("number", range(200 if ALL else 2))
def test_killed_at_a_random_moment(tide: Desk, number: int) -> None:
    case = CASES[number % len(CASES)] if ALL else "provision"
    prepare(tide, case)
    seconds = random.uniform(0.2, 4.0 if case == "provision" else 1.5)
    check(tide, case, lambda: run_until(tide, seconds, *WORDS[case]), f"after {seconds:.3f} s")


def open_in_silence(desk: Desk) -> None:
    said = shells_well(desk)
    assert not said, f"shells say: {said}"


def of_ours(desk: Desk, person: Person) -> list[str]:
    """What bears our name, and neither the person made it nor is it the person's configuration of us."""
    named = [
        name
        for name in home_of(desk)
        if "zesty-anchor" in name and not name.startswith(".config/zesty-anchor")
    ]
    return [
        name
        for name in named
        if not any(made == name or made.startswith(name + "/") for made in person.whole)
    ]


def again(desk: Desk, untouched: Path) -> None:
    shutil.rmtree(desk.home)
    shutil.copytree(untouched, desk.home, symlinks=True)


def check(desk: Desk, case: str, killed: Callable[[], int], when: str) -> None:
    """Cut off, let the person act, and see that all holds."""
    person = Person(desk)
    killed()
    settle(desk)
    try:
        person.misses_nothing("at once")
        open_in_silence(desk)
        person.acts()
        person.misses_nothing("by then")
        ends_well(desk, person)
        open_in_silence(desk)
        while desk.run("undo").code == 0:
            pass
        person.misses_nothing("after undo")
        left = of_ours(desk, person)
        assert not left, f"left behind: {left}"
        gone = desk.run("dismantle", "--yes")
        assert gone.code == 0, gone.out + gone.err
        person.misses_nothing("after dismantle")
        assert not (desk.home / ".local/state/zesty-anchor").exists()
    except AssertionError as error:
        raise AssertionError(f"{case}, {when}: {error}") from error
    if COUNTED:
        with open(COUNTED, "a", encoding="ascii") as file:
            file.write(f"{case}\n")
