"""A recipe of the manifest without commands adds to the person's own recipe, or to the shipped one."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.conftest import Desk
from zesty_anchor.manifest.read import added, parse_manifest
from zesty_anchor.system.problem import UsageProblem

WHOLE = {"commands": ["kelp"], "version-files": [".kelp"], "variables": {"A": "1", "B": "2"}, "title": "kelp"}


def test_tables_are_put_together_and_lists_get_what_they_lack() -> None:
    more = {"version-files": [".kelp", ".kelp-pin"], "variables": {"B": "3"}, "title": "ours"}
    assert added(WHOLE, more) == {
        "commands": ["kelp"], "version-files": [".kelp", ".kelp-pin"], "variables": {"A": "1", "B": "3"},
        "title": "ours",
    }  # fmt: skip
    assert WHOLE["version-files"] == [".kelp"], "the recipe itself is not changed"


def test_a_recipe_with_commands_is_whole_and_one_without_needs_another() -> None:
    text = '[recipes.kelp]\ncommands = ["kelp"]\n[recipes.kelp.variables]\nC = "1"\n'
    assert parse_manifest(text, Path("m"), lambda name: WHOLE).recipes["kelp"].variables == {"C": "1"}
    with pytest.raises(UsageProblem, match="lacks the key 'commands'"):
        parse_manifest('[recipes.kelp]\ntitle = "x"\n', Path("m"))


def test_a_projects_pins_are_read_from_a_file_that_the_manifest_adds(desk: Desk) -> None:
    recipes = desk.home / ".config/zesty-anchor/recipes"
    recipes.mkdir(parents=True)
    (recipes / "kelp.toml").write_text(
        'commands = ["kelp"]\n[version]\nrun = "kelp --version"\nexpect = "kelp {version}"\n'
    )
    desk.write(
        'as-root = "allowed"\n[shells]\nuse = ["bash"]\n[feeds.harbour]\nkind = "index"\nurl ='
        f' "{desk.url}"\n[recipes.kelp]\nversion-files = [".tide-tools"]\n[runtimes.kelp]\nwant = "4"\nalso ='
        ' ["3.6"]\n'
    )
    desk.well("provision")
    desk.write("3.6\n", "quay/.tide-tools")
    assert desk.shell("bash", "kelp --version; cd ~/quay; kelp --version", "-i").split("\n")[:2] == [
        "kelp 4.2.1",
        "kelp 3.6.2",
    ]
