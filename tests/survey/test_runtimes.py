"""Which runtime a file belongs to."""

from __future__ import annotations

from pathlib import Path

import pytest

from zesty_anchor.manifest.recipe import Recipe
from zesty_anchor.survey.installs_there import upstream_version
from zesty_anchor.survey.runtimes import fitting

RECIPES = {
    "coral": Recipe(commands=("coral", "coralc")),
    "coral-runtime": Recipe(commands=("coral",)),
    "kelp": Recipe(commands=("kelp", "kelp-pack")),
}


def test_the_recipe_whose_commands_are_all_beside_it(tmp_path: Path) -> None:
    coral = tmp_path / "coral"
    coral.touch()
    assert fitting(str(coral), RECIPES) == "coral-runtime"
    (tmp_path / "coralc").touch()
    assert fitting(str(coral), RECIPES) == "coral"
    assert fitting(str(tmp_path / "kelp"), RECIPES) == "kelp", "there is no other"
    assert fitting(str(tmp_path / "tides"), RECIPES) == ""


@pytest.mark.parametrize(
    ("package", "version"),
    [
        ("5.36.0-7+deb12u1", "5.36.0"),
        ("17.0.15+6-1~deb12u1", "17.0.15"),
        ("18.20.4+dfsg-1~deb12u1", "18.20.4"),
        ("2:1.19.8-2", "1.19.8"),
        ("1:25.2.3+dfsg-1", "25.2.3"),
        ("8.2.29-1~deb12u1", "8.2.29"),
        ("20.20.2-1local1", "20.20.2"),
        ("3.13.0~rc2-1", ""),
        ("2025-06-1", ""),
        ("3.1.7+really3.1.2-1", "3.1.2"),
        ("1:4.0+really3.2.1+dfsg-2", "3.2.1"),
        ("", ""),
    ],
)
def test_the_version_of_a_package_tells_that_of_its_program(package: str, version: str) -> None:
    assert upstream_version(package) == version
