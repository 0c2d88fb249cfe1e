"""Which runtime a file belongs to."""

from __future__ import annotations

from pathlib import Path

from zesty_anchor.manifest.recipe import Recipe
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
