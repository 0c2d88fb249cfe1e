"""The folders that fish makes at its first start, of which several at once would each see a part: they are
there before.
"""

from __future__ import annotations

import subprocess
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

from tests.conftest import PROGRAMS
from zesty_anchor.demo.home import likeness
from zesty_anchor.manifest.wanted import Wanted
from zesty_anchor.proof import prove
from zesty_anchor.shells.known import SHELLS
from zesty_anchor.shells.together import together
from zesty_anchor.survey.machine import Machine
from zesty_anchor.survey.startup import provenance, trial
from zesty_anchor.survey.startup.cutting import spoken_of
from zesty_anchor.system.host import login_path
from zesty_anchor.system.locations import locate

pytestmark = pytest.mark.needs("fish")


def machine_of(home: Path) -> Machine:
    environment = {"HOME": str(home), "PATH": login_path()}
    machine = Machine(locate(environment), environment)
    machine.__dict__["shells"] = tuple(shell for shell in machine.shells if shell.name == "fish")
    return machine


def traced(machine: Machine) -> None:
    provenance.traces(machine)


def tried(machine: Machine) -> None:
    file = machine.locations.home / ".config/fish/config.fish"
    assert [each.file.path for each in spoken_of([machine.locations.home / "old-kelp"], [], machine)] == [
        file
    ]


def proved(machine: Machine) -> None:
    prove.prove(Wanted((), (("TIDE", "high"),), (), (), (), (), ("fish",), machine.locations.home), machine)


@pytest.mark.parametrize(("module", "starts"), [(provenance, traced), (trial, tried), (prove, proved)])
def test_they_are_there_before_the_first_of_several_starts(
    module: Any, starts: Callable[[Machine], None], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    home = tmp_path / "home"
    (home / ".config/fish").mkdir(parents=True)
    (home / ".config/fish/config.fish").write_text("set -gx KELP_HOME ~/old-kelp\n")
    before, seen = likeness(home, ()), tmp_path / "seen"

    def looked(jobs: int, task: Any, given: Any) -> Any:
        folders = SHELLS["fish"].folders(machine.around)
        seen.write_text(" ".join(str(folder.is_dir()) for folder in folders))
        return together(jobs, task, given)

    monkeypatch.setattr(module, "together", looked)
    machine = machine_of(home)
    starts(machine)
    assert seen.read_text() == "True True"
    assert likeness(home, ()) == before


def test_fish_says_what_it_cannot_make(tmp_path: Path) -> None:
    """What it is about: a folder that cannot be made is told at each start, which verify takes for output of
    a startup file.
    """
    (tmp_path / ".local").write_text("no folder\n")
    done = subprocess.run(
        [PROGRAMS["fish"], "-l", "-c", "true"], env={"HOME": str(tmp_path), "PATH": login_path()},
        capture_output=True, text=True, check=True,
    )  # fmt: skip
    assert "can not save history" in done.stderr
