"""A manifest with a base: how both are put together, and which file and line decided."""

from __future__ import annotations

from pathlib import Path

import pytest

from zesty_anchor.manifest.condition import Condition, Facts, as_on
from zesty_anchor.manifest.layers import Elsewhere, read_layers
from zesty_anchor.manifest.read import manifest_of
from zesty_anchor.manifest.source import Source
from zesty_anchor.system.problem import Problem, Problems, UsageProblem

BASE = """\
firm = ["feeds", "runtimes.coral"]
[prerequisites]
packages = ["unzip", "gcc"]
[feeds.harbour]
kind = "index"
url = "https://harbour.example/"
key = "keys/harbour.asc"
[runtimes.kelp]
want = "4"
also = ["3.6"]
[runtimes.coral]
want = "11"
[variables]
GAUGE = "north"
DEPTH = "12"
[path]
first = ["/team/bin"]
[[checks]]
name = "tide"
run = "kelp --version"
[[checks]]
name = "wind"
run = "coral --version"
"""
HERE = Facts("linux-x86_64", ("debian",), "12", "quay-3.harbour.example", "tide")


def read(folder: Path, own: str, base: str = BASE, facts: Facts = HERE) -> Source:
    (folder / "team").mkdir(exist_ok=True)
    (folder / "team/workstation.toml").write_text(base)
    text = 'base = "team/workstation.toml"\n' + own
    source, others = read_layers(text, folder / "workstation.toml", lambda: facts, folder)
    manifest_of(source, others)
    return source


def refused(folder: Path, own: str, base: str = BASE) -> list[Problem]:
    with pytest.raises(UsageProblem) as caught:
        read(folder, own, base)
    return list(caught.value.problems) if isinstance(caught.value, Problems) else [caught.value]


def test_tables_come_together_lists_are_added_to_and_the_own_value_wins(tmp_path: Path) -> None:
    source = read(tmp_path, """\
        [prerequisites]
        packages = ["make", "gcc"]
        [runtimes.kelp]
        want = "5"
        [variables]
        GAUGE = "south"
        QUAY = "3"
        [path]
        first = ["~/bin"]
        [[checks]]
        name = "wind"
        run = "coral --help"
        """)  # fmt: skip
    whole = source.tables
    assert whole["prerequisites"]["packages"] == ["unzip", "gcc", "make"]
    assert whole["runtimes"] == {"kelp": {"want": "5", "also": ["3.6"]}, "coral": {"want": "11"}}
    assert whole["variables"] == {"GAUGE": "south", "DEPTH": "12", "QUAY": "3"}
    assert whole["path"]["first"] == ["~/bin", "/team/bin"], "the first one wins"
    assert [(each["name"], each["run"]) for each in whole["checks"]] == [
        ("tide", "kelp --version"), ("wind", "coral --help")
    ]  # fmt: skip
    assert whole["feeds"]["harbour"]["key"] == str(tmp_path / "team/keys/harbour.asc")
    assert not {"base", "firm", "on"} & whole.keys()


@pytest.mark.parametrize(
    ("path", "place"),
    [
        (("runtimes", "kelp", "want"), "workstation.toml:3"),
        (("runtimes", "kelp", "also", 0), "team/workstation.toml:10"),
        (("runtimes", "coral", "want"), "team/workstation.toml:12"),
        (("prerequisites", "packages", 1), "team/workstation.toml:3"),
        (("prerequisites", "packages", 2), "workstation.toml:5"),
        (("path", "first", 0), "workstation.toml:7"),
        (("path", "first", 1), "team/workstation.toml:17"),
        (("variables", "QUAY"), "workstation.toml:9"),
        (("variables", "DEPTH"), "team/workstation.toml:15"),
        (("checks", 1, "run"), "team/workstation.toml:23"),
    ],
)
def test_each_key_is_where_it_was_written(tmp_path: Path, path: tuple[str | int, ...], place: str) -> None:
    own = (
        '[runtimes.kelp]\nwant = "5"\n[prerequisites]\npackages = ["make"]\n[path]\nfirst = ["~/bin"]\n'
        '[variables]\nQUAY = "3"\n'
    )
    assert read(tmp_path, own).place(*path) == str(tmp_path / place)


def test_an_exclamation_mark_takes_a_name_away(tmp_path: Path) -> None:
    whole = read(tmp_path, """\
        [prerequisites]
        packages = ["!gcc"]
        [runtimes."!kelp"]
        [variables]
        "!DEPTH" = ""
        [[checks]]
        name = "!tide"
        """).tables  # fmt: skip
    assert whole["prerequisites"]["packages"] == ["unzip"]
    assert list(whole["runtimes"]) == ["coral"] and whole["variables"] == {"GAUGE": "north"}
    assert [each["name"] for each in whole["checks"]] == ["wind"]


@pytest.mark.parametrize(
    ("own", "what", "line", "advice"),
    [
        ('[runtimes.coral]\nwant = "17"\n', "runtimes.coral is kept firm by the base", 3, "take this out"),
        ('[runtimes."!coral"]\n', "runtimes.coral is kept firm", 2, "take this out"),
        ('[feeds.quay]\nkind = "npm"\n', "feeds is kept firm", 2, "take this out"),
        ('[variables]\n"!DEPHT" = ""\n', "the base has no variables.DEPHT", 3, "DEPTH"),
        ('[prerequisites]\npackages = ["!gc"]\n', "the base has no 'gc' in prerequisites.packages", 3, "!gcc"),
        ('[variables]\n"!DEPTH" = "3"\n', "takes DEPTH away, and has a value", 3, "empty it"),
        ('[prerequisites]\npackages = { debian = ["make"] }\n', "is a list in the base", 3, "same form"),
        ('[runtimes.kelp]\nwant = 5\n', "runtimes.kelp.want is the number 5", 3, 'quotes: "5"'),
        ('[on.linx]\n[on.linx.variables]\nA = "b"\n', "on.'linx' is not a condition", 2, "linux"),
        ('[on."host:x"]\nbase = "y"\n', "on.'host:x' has 'base'", 2, "below it"),
        ('[on."user:other".runtimes.kelp]\nwont = "4"\n', "the key 'wont' is not known", 3, "want"),
    ],
)  # fmt: skip
def test_a_mistake_is_named_with_its_own_file_and_line(
    tmp_path: Path, own: str, what: str, line: int, advice: str
) -> None:
    (problem,) = refused(tmp_path, own)
    assert what in problem.what and advice in problem.advice
    assert problem.where == f"{tmp_path}/workstation.toml:{line}"


def test_a_mistake_of_the_base_is_named_there(tmp_path: Path) -> None:
    (problem,) = refused(tmp_path, "", BASE.replace('want = "11"', "wnat = 11"))
    assert problem.where == f"{tmp_path}/team/workstation.toml:12" and "wnat" in problem.what


def test_what_is_firm_may_be_said_again(tmp_path: Path) -> None:
    assert read(tmp_path, '[runtimes.coral]\nwant = "11"\n').tables["runtimes"]["coral"] == {"want": "11"}


@pytest.mark.parametrize(
    ("own", "what"),
    [
        ('base = "none.toml"\n', "does not exist"),
        ('base = "workstation.toml"\n', "is its own base"),
        ("base = 3\n", "base names no file"),
        ('base = "https://desk.example/workstation.toml"\n', "without its digest"),
        ('base = [{ url = "https://desk.example/a", digest = "sha256:0" }]\n', "cannot be fetched here"),
        ('firm = "feeds"\n', "firm is not a list"),
        ('firm = ["a b"]\n', "not the name of a key"),
    ],
)
def test_a_base_that_cannot_be_used(tmp_path: Path, own: str, what: str) -> None:
    with pytest.raises(UsageProblem, match=what) as caught:
        read_layers(own, tmp_path / "workstation.toml", lambda: HERE, tmp_path)
    assert caught.value.where == f"{tmp_path}/workstation.toml:1"


def test_a_circle_of_bases_is_named(tmp_path: Path) -> None:
    (tmp_path / "other.toml").write_text('base = "team/workstation.toml"\n')
    (problem,) = refused(tmp_path, "", 'base = "../other.toml"\n')
    assert problem is not None and "is its own base" in problem.what
    assert problem.where == f"{tmp_path}/other.toml:1"


def test_a_base_has_a_base_and_the_nearest_wins(tmp_path: Path) -> None:
    (tmp_path / "office.toml").write_text('[variables]\nGAUGE = "east"\nOFFICE = "1"\n')
    source = read(tmp_path, "", 'base = "../office.toml"\n[variables]\nGAUGE = "north"\n')
    assert source.tables["variables"] == {"GAUGE": "north", "OFFICE": "1"}
    assert source.place("variables", "OFFICE") == f"{tmp_path}/office.toml:3"


def test_a_fetched_base_is_one_like_any_other(tmp_path: Path) -> None:
    text = 'base = { url = "https://desk.example/workstation.toml", digest = "sha256:1" }\n'
    asked: list[tuple[str, str]] = []

    def fetch(base: Elsewhere) -> tuple[bytes, str]:
        asked.append((base.address, base.digest))
        return b'[variables]\nGAUGE = "north"\n', base.digest

    source, _ = read_layers(text, tmp_path / "workstation.toml", lambda: HERE, tmp_path, fetch)
    assert source.tables == {"variables": {"GAUGE": "north"}}
    assert asked == [("https://desk.example/workstation.toml", "sha256:1")]
    assert source.layers[0].address == "https://desk.example/workstation.toml"


@pytest.mark.parametrize(
    ("condition", "here"),
    [
        ("linux", True), ("linux-x86_64", True), ("linux-aarch64", False), ("macos", False), ("container", False),
        ("host:quay-*", True), ("host:quay-3", True), ("host:quay-4", False), ("user:tide", True),
        ("user:root", False), ("system:debian", True), ("system:fedora", False), ("system:debian>=12", True),
        ("system:debian < 12", False), ("system:debian==12", True), ("system:debian>12", False),
    ],
)  # fmt: skip
def test_a_part_holds_where_its_condition_does(tmp_path: Path, condition: str, here: bool) -> None:
    assert Condition(condition).holds(HERE) == here
    own = f'[variables]\nGAUGE = "own"\n[on."{condition}".variables]\nGAUGE = "here"\n'
    source = read(tmp_path, own)
    assert source.tables["variables"]["GAUGE"] == ("here" if here else "own")
    assert source.place("variables", "GAUGE").endswith(":5" if here else ":3")


def test_a_system_without_a_version_is_older_than_none() -> None:
    assert not Condition("system:debian>=12").holds(Facts("linux-x86_64", ("debian",)))
    assert Condition("system:debian==12").holds(Facts("linux-x86_64", ("debian",), "12.4"))


def test_the_facts_of_another_machine() -> None:
    there = as_on(HERE, "linux-aarch64, host:mast, user:root, system:fedora==40, container")
    assert there == Facts("linux-aarch64", ("fedora",), "40", "mast", "root", True)
    for words in ("linux", "lighthouse"):
        with pytest.raises(ValueError, match=r"linux-x86_64|write it as one of"):
            as_on(HERE, words)
