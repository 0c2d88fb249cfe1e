"""Options of a build by name: what they stand for, what they need, and names that a recipe does not have."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.conftest import Desk
from zesty_anchor.manifest.build_options import with_named_options
from zesty_anchor.manifest.read import parse_manifest
from zesty_anchor.manifest.source import of_one
from zesty_anchor.system.problem import UsageProblem

TEXT = """[runtimes.brine]
want = "1"
build.options = [{}]
[recipes.brine]
commands = ["brine"]
needs.packages.debian = ["gcc"]
[recipes.brine.build]
steps = ["make"]
[recipes.brine.build.options]
charts = {{ arguments = ["--with-charts", "--with-ink"], packages.debian = ["libink-dev"], packages.arch = ["ink"] }}
tables = {{ arguments = ["--with-tables"] }}
"""


def chosen(*options: str) -> tuple[tuple[str, ...], object]:
    text = TEXT.format(", ".join(f'"{each}"' for each in options))
    manifest = parse_manifest(text, Path("workstation.toml"))
    found, recipes = with_named_options(
        manifest, manifest.recipes, of_one(text, Path("workstation.toml"), {})
    )
    return found.runtimes["brine"].build.options, recipes["brine"].needs.packages


def test_a_name_stands_for_arguments_and_packages() -> None:
    assert chosen("charts", "--with-tides", "CC=clang") == (
        ("--with-charts", "--with-ink", "--with-tides", "CC=clang"),
        {"debian": ("gcc", "libink-dev"), "arch": ("ink",)},
    )
    assert chosen("tables") == (("--with-tables",), {"debian": ("gcc",)})
    assert chosen() == ((), {"debian": ("gcc",)})


def test_a_name_that_the_recipe_does_not_have_is_told_with_its_line() -> None:
    with pytest.raises(UsageProblem) as told:
        chosen("charts", "chart")
    assert "no build option 'chart'" in told.value.what and told.value.where == "workstation.toml:3"
    assert "charts" in told.value.advice and "tables" in told.value.advice


def test_preview_and_a_wrong_name_through_the_program(desk: Desk) -> None:
    desk.wants('[runtimes.php]\nwant = "8"\nbuild.options = ["intel"]\n')
    answer = desk.run("preview")
    assert (
        answer.code == 2
        and "the recipe of php has no build option 'intel'" in answer.err
        and "intl" in answer.err
    )
