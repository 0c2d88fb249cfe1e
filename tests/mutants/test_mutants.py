"""The lines that scripts/mutants breaks are there, and a sample of them is broken here."""

from __future__ import annotations

import sys
from pathlib import Path

import pytest

from tests.mutants.lines import MUTANTS, Mutant
from tests.mutants.run import ROOT, broken, copied, noticed

SAMPLE = [each for each in MUTANTS if each.tests in ("manifest", "shelf/test_members.py")][::4]


@pytest.mark.parametrize("mutant", MUTANTS, ids=lambda each: f"{each.file}: {each.old.strip()[:40]}")
def test_each_line_is_there_once_and_its_change_can_be_read(mutant: Mutant) -> None:
    text = (ROOT / "src/zesty_anchor" / mutant.file).read_text()
    compile(broken(text, mutant), mutant.file, "exec")
    assert all((ROOT / "tests" / each).exists() for each in mutant.tests.split())


def test_there_are_enough_of_them() -> None:
    assert len(MUTANTS) >= 60


@pytest.fixture(scope="module")
def copy(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return copied(tmp_path_factory.mktemp("mutants") / "checkout")


@pytest.mark.parametrize("mutant", SAMPLE, ids=lambda each: each.old.strip()[:40])
def test_a_test_falls_where_it_is_broken(mutant: Mutant, copy: Path) -> None:
    assert noticed(mutant, copy, sys.executable)


def test_none_falls_where_nothing_is(copy: Path) -> None:
    whole = SAMPLE[0]._replace(new=SAMPLE[0].old)
    assert not noticed(whole, copy, sys.executable)
