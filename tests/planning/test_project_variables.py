"""What a project sets counts once the person has agreed to just that, and nobody else may change it."""

from __future__ import annotations

from pathlib import Path

import pytest

from zesty_anchor.planning.project_variables import is_agreed_to, project_sets, trust_project, variables_of
from zesty_anchor.system.locations import locate
from zesty_anchor.system.problem import UsageProblem

TEXT = '[runtimes.kelp]\nwant = "4"\n[variables]\nDEPTH = "12"\nPATH = "/x"\n'


def project(home: Path, text: str = TEXT) -> Path:
    file = home / "tides/workstation.toml"
    file.parent.mkdir(exist_ok=True)
    file.write_text(text)
    file.chmod(0o644)
    return file


def test_nothing_is_set_before_the_person_agreed_to_just_that(tmp_path: Path) -> None:
    locations, file = locate({"HOME": str(tmp_path)}), project(tmp_path)
    assert (
        not is_agreed_to(project_sets(file), locations)
        and variables_of([project_sets(file)], locations) == {}
    )
    trust_project(file.parent, locations)
    assert is_agreed_to(project_sets(file), locations) and variables_of([project_sets(file)], locations) == {
        "DEPTH": "12"
    }
    project(tmp_path, TEXT.replace("12", "13"))
    assert not is_agreed_to(project_sets(file), locations)


def test_a_file_that_others_may_write_is_not_used(tmp_path: Path) -> None:
    locations, file = locate({"HOME": str(tmp_path)}), project(tmp_path)
    trust_project(file, locations)
    file.chmod(0o666)
    assert not is_agreed_to(project_sets(file), locations)
    with pytest.raises(UsageProblem, match="may write"):
        trust_project(file, locations)


def test_the_nearest_project_counts(tmp_path: Path) -> None:
    locations, outer = locate({"HOME": str(tmp_path)}), project(tmp_path)
    inner = outer.parent / "deep/workstation.toml"
    inner.parent.mkdir()
    inner.write_text('[variables]\nDEPTH = "30"\n')
    for file in (outer, inner):
        trust_project(file, locations)
    assert variables_of(map(project_sets, (inner, outer)), locations) == {"DEPTH": "30"}


def test_a_file_of_another_name_sets_nothing(tmp_path: Path) -> None:
    other = tmp_path / "other.toml"
    other.write_text(TEXT)
    assert project_sets(other).variables == ()
