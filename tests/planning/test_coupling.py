"""Which versions of two runtimes go together, and what projects' own files ask for."""

from __future__ import annotations

from pathlib import Path

import pytest

from zesty_anchor.manifest.pin import meets
from zesty_anchor.manifest.recipe import Coupled
from zesty_anchor.planning.coupling import line_below, may_run, runs_on
from zesty_anchor.recipes import shipped
from zesty_anchor.system.problem import UsageProblem

BY_RANGE = Coupled("erlang", ranges={"1.10": ">=21 <24", "1.1": ">=17 <19", "1.14": ">=23 <26"})
BY_NAME = Coupled("coral", version="-coral-([0-9]+)$")


@pytest.mark.parametrize(
    ("version", "below", "fits"),
    [
        ("1.14.0", ["25.2.3"], True),
        ("1.14.0", ["27.3.4.1"], False),
        ("1.14.0", ["27.3.4.1", "23.2.6"], True),
        ("1.1.1", ["25.2.3"], False),
        ("1.10.3", ["23.2.6"], True),
        ("1.20.4", ["25.2.3"], True),  # nothing is known of it
        ("1.14.0", ["system 25.2.3"], True),
        ("1.14.0", ["system 27.1"], False),
        ("1.14.0", ["system"], True),  # nothing says its version
    ],
)
def test_a_range_for_each_line(version: str, below: list[str], fits: bool) -> None:
    assert may_run(BY_RANGE, version, below) is fits


def test_the_other_one_is_named_where_it_does_not_fit() -> None:
    assert runs_on("elixir", "1.14.0", BY_RANGE, ["27.1", "25.2.3"], Path("m")) == "erlang 25.2.3"
    with pytest.raises(UsageProblem, match=r"runs on erlang >=23 <26, and the manifest wants erlang 27\.1"):
        runs_on("elixir", "1.14.0", BY_RANGE, ["27.1"], Path("m"))
    assert runs_on("elixir", "1.14.0", BY_RANGE, ["system 25.2.3"], Path("m")) == "", "it is on PATH anyway"
    assert runs_on("kelp", "4.2-coral-11", BY_NAME, ["11.0.2"], Path("m")) == "coral 11.0.2"
    assert line_below(BY_NAME, "4.2") == "" and runs_on("kelp", "4.2", BY_NAME, [], Path("m")) == ""


@pytest.mark.parametrize(
    ("text", "version", "fits"),
    [
        ("~> 3.1", "3.3.8", True),
        ("~> 3.1.2", "3.3.8", False),
        ("~> 3.1.2", "3.1.6", True),
        ("3.1.2", "3.1.2", True),
        ("3.1.2", "3.1.6", False),
        (">= 2.7, < 3.2", "3.1.2", True),
        ("nonsense", "3.1.2", False),
    ],
)
def test_requirements_of_rubys_packages(text: str, version: str, fits: bool) -> None:
    assert meets(text, "gem", version) is fits


def test_shipped_recipes_that_are_built_say_what_they_need_and_prove() -> None:
    built = {name: recipe for name, recipe in shipped().items() if recipe.build is not None}
    assert set(built) == {"python", "ruby", "perl", "php", "lua", "erlang", "elixir"}
    for name, recipe in built.items():
        assert recipe.version is not None and recipe.program is not None, name
        assert recipe.sources[0].kind == "debian" and recipe.sources[0].sources, name
        assert name == "elixir" or "debian" in recipe.needs.packages, name
