"""What two runs promise, compared: only what is new, other or gone is said."""

from __future__ import annotations

from pathlib import Path

import pytest

from zesty_anchor.manifest.read import parse_manifest
from zesty_anchor.manifest.wanted import Wanted, WantedVersion
from zesty_anchor.planning.promised import Promised, by_run, differences, gone, promised, read

TEXT = """
[feeds.harbour]
kind = "index"
url = "http://127.0.0.1:1/"
[runtimes.kelp]
want = "4"
[runtimes.coral]
want = "system"
[recipes.kelp]
commands = ["kelp"]
[recipes.coral]
commands = ["coral"]
[variables]
GAUGE = "north quay"
[variables.system]
TIDE_ZONE = "west"
[path]
first = ["~/bin"]
last = ["~/late"]
[shells]
hooks.zsh = "bindkey -e"
[[settings]]
file = "~/desk.json"
key = ["tide", "high"]
value = 3
[identity]
name = "Tide Desk"
"""


def of(text: str) -> Promised:
    manifest = parse_manifest(text, Path("/desk/workstation.toml"))
    versions = tuple(
        WantedVersion("kelp", number, "4", default, Path("/shelf"), manifest.recipes["kelp"], "harbour")
        for number, default in (("4.2.1", True), ("3.6.2", False))
    )
    return promised(manifest, Wanted(versions, (), (), (), (), (), ("bash",), Path("/desk")), {})


def test_everything_that_a_manifest_promises_is_in_it() -> None:
    assert of(TEXT) == {
        "version": {"kelp": "4.2.1", "coral": "the system's own"},
        "also": {"kelp 3.6.2": ""},
        "variable": {"GAUGE": "north quay", "TIDE_ZONE (all users)": "west"},
        "first": {"~/bin": ""},
        "last": {"~/late": ""},
        "hook": {"zsh": "bindkey -e"},
        "setting": {"~/desk.json tide.high": "3"},
        "identity": {"name": "Tide Desk"},
        "shell": {"bash": ""},
    }


def test_what_stays_is_not_said() -> None:
    assert differences(of(TEXT), of(TEXT)) == ()


@pytest.mark.parametrize(
    ("group", "old", "new", "said"),
    [
        ("version", {"node": "22.20.0"}, {"node": "22.23.5"}, ["node 22.20.0 → 22.23.5"]),
        ("version", {}, {"coral": "11"}, ["coral 11 is new"]),
        ("version", {"coral": "11"}, {}, ["coral 11 is no longer set up"]),
        ("also", {"kelp 3.6": ""}, {"kelp 4.1": ""}, ["kelp 3.6 is no longer asked for",
                                                     "kelp 4.1 is installed beside the default"]),
        ("variable", {"GAUGE": "north"}, {"GAUGE": "south"}, ['GAUGE: "north" → "south"']),
        ("variable", {"GAUGE": "north"}, {}, ["GAUGE goes"]),
        ("first", {"~/a": ""}, {"~/b": ""}, ["PATH loses ~/a", "PATH gains ~/b"]),
        ("last", {}, {"~/b": ""}, ["PATH gains ~/b, at its end"]),
        ("hook", {"zsh": "a"}, {"zsh": "b"}, ["the lines for zsh change"]),
        ("setting", {"f k": "1"}, {"f k": "2"}, ['f k: "1" → "2"']),
        ("shell", {"fish": ""}, {}, ["fish is no longer set up"]),
    ],
)  # fmt: skip
def test_each_difference_is_one_line(
    group: str, old: dict[str, str], new: dict[str, str], said: list[str]
) -> None:
    assert list(differences({group: old}, {group: new})) == said


def test_a_version_that_becomes_the_default_is_said_once() -> None:
    before = {"version": {"kelp": "4.2.1"}, "also": {"kelp 4.1.0": ""}}
    after = {"version": {"kelp": "4.1.0"}, "also": {}}
    assert differences(before, after) == ("kelp 4.2.1 → 4.1.0",)


def test_a_long_value_and_further_lines_are_cut() -> None:
    line = differences({}, {"variable": {"GAUGE": "x" * 200}})[0]
    assert len(line) < 90 and line.endswith('…"')
    assert differences({}, {"variable": {"GAUGE": "a\nb"}}) == ('GAUGE is new: "a…"',)


def test_what_would_go_is_named() -> None:
    before: Promised = {"version": {"coral": "11"}, "variable": {"A": "1", "B": "2"}, "first": {"~/bin": ""}}
    assert gone(before, {"variable": {"B": "3"}}) == ("coral", "A", "~/bin")
    assert gone(before, before) == ()


def test_runs_are_compared_with_the_one_before() -> None:
    promises = {2: '{"version": {"kelp": "4.1"}}', 5: '{"version": {"kelp": "4.2"}}', 7: "broken"}
    assert by_run(promises) == {
        2: ("kelp 4.1 is new",),
        5: ("kelp 4.1 → 4.2",),
        7: ("kelp 4.2 is no longer set up",),
    }
    assert read("") == read("[1]") == {}
