"""What is wanted, put together from a manifest, its recipes and the versions found."""

from __future__ import annotations

from pathlib import Path

import msgspec
import pytest

from zesty_anchor.manifest.model import Manifest
from zesty_anchor.manifest.part import names_for
from zesty_anchor.manifest.recipe import Recipe
from zesty_anchor.manifest.schema import json_schema
from zesty_anchor.manifest.wanted import WantedVersion, expand, packages_of, put_together

HOME = Path("/home/desk")


def manifest(**parts: object) -> Manifest:
    return msgspec.convert(parts, Manifest)


def recipe(**parts: object) -> Recipe:
    return msgspec.convert({"commands": ["x"], **parts}, Recipe)


def placed(
    name: str, version: str, default: bool, bins: tuple[str, ...] = ("bin",), **variables: str
) -> WantedVersion:
    return WantedVersion(
        name,
        version,
        version,
        default,
        HOME / "shelf" / name / version,
        recipe(bin=bins, variables=variables),
        "harbour",
    )


def test_packages_are_counted_with_who_needs_them_and_optional_ones_only_if_asked() -> None:
    recipes = {
        "brine": recipe(
            needs={
                "packages": {"debian": ["gcc"], "fedora": ["gcc-c++"]},
                "optional": {"debian": ["doxygen"]},
            }
        ),
        "kelp": recipe(needs={"packages": ["unzip"]}),
    }
    wanted = manifest(
        prerequisites={"packages": {"debian": ["unzip"]}},
        runtimes={"brine": {"want": "1"}, "kelp": {"want": "4"}},
    )
    found = {p.name: p.needed_by for p in packages_of(wanted, recipes, "debian")}
    assert found == {"unzip": ("the manifest", "kelp"), "gcc": ("brine",)}
    assert [p.name for p in packages_of(wanted, recipes, "fedora")] == ["gcc-c++", "unzip"]
    more = manifest(runtimes={"brine": {"want": "1", "optional-needs": True}, "kelp": {"want": "4"}})
    assert [p.name for p in packages_of(more, recipes, "debian")] == ["gcc", "doxygen", "unzip"]
    assert names_for(("a",), "any") == ("a",)


def test_defaults_go_on_path_in_the_manifests_order_and_others_do_not() -> None:
    versions = (
        placed("kelp", "4.2", True, KELP_HOME="{folder}/lib"),
        placed("kelp", "3.6", False),
        placed("coral", "11", True, (".", "tools")),
    )
    wanted = put_together(
        manifest(
            path={"first": ["~/bin", "/opt/x/"], "last": ["~"]},
            variables={"CORAL_HOME": "{coral}", "KELP_HOME": "mine", "system": {"ZONE": "{kelp}"}},
            runtimes={"kelp": {"want": "4"}, "coral": {"want": "11"}},
        ),
        versions, ("bash",), (), HOME, HOME,
    )  # fmt: skip
    shelf = "/home/desk/shelf"
    assert wanted.path_first == (
        "/home/desk/bin", "/opt/x",
    )  # fmt: skip
    assert wanted.default_bins == (f"{shelf}/kelp/4.2/bin", f"{shelf}/coral/11", f"{shelf}/coral/11/tools")
    assert wanted.path_last == ("/home/desk",)
    assert dict(wanted.by_default) == {"KELP_HOME": "mine", "CORAL_HOME": f"{shelf}/coral/11"}, (
        "the manifest's word counts"
    )
    assert wanted.system_variables == (("ZONE", f"{shelf}/kelp/4.2"),)


def test_a_variable_of_a_runtime_that_is_absent_is_left_out() -> None:
    wanted = put_together(
        manifest(variables={"A": "{kelp}/x", "B": "{other}", "C": "c"}, runtimes={"kelp": {"want": "4"}}),
        (), ("bash",), (), HOME, HOME,
    )  # fmt: skip
    assert dict(wanted.by_default) == {"B": "{other}", "C": "c"}


@pytest.mark.parametrize(
    ("path", "full"), [("~", "/home/desk"), ("~/a b", "/home/desk/a b"), ("/", "/"), ("/x/", "/x")]
)
def test_the_home_is_written_out(path: str, full: str) -> None:
    assert expand(path, HOME) == full


def test_the_schema_knows_every_table() -> None:
    properties = json_schema()["$defs"]["Manifest"]["properties"]  # type: ignore[index]
    assert {
        "shells",
        "feeds",
        "runtimes",
        "variables",
        "path",
        "conflicts",
        "checks",
        "prerequisites",
        "as-root",
    } <= set(properties)
