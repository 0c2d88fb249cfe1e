"""The files by which a project chooses versions."""

from __future__ import annotations

from pathlib import Path

import msgspec
import pytest

from zesty_anchor.manifest.pin import Pin, meets, names, read_pins
from zesty_anchor.manifest.project import is_project
from zesty_anchor.manifest.recipe import Recipe
from zesty_anchor.operations.answers import renew_answers, write_answers
from zesty_anchor.planning.choices import Chooser
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.shelf.receipt import Receipt
from zesty_anchor.system.locations import locate

RECIPES = {
    "kelp": msgspec.convert(
        {
            "commands": ["kelp"],
            "version-files": ["KELP"],
            "requirements": [{"file": "package.json", "field": "engines.kelp", "form": "npm"}],
        },
        Recipe,
    ),
    "coral": msgspec.convert(
        {
            "commands": ["coral"],
            "requirements": [
                {"file": "pyproject.toml", "field": "project.requires-coral", "form": "python"},
                {"file": "go.mod", "pattern": r"^go\s+(\S+)", "form": "least"},
            ],
        },
        Recipe,
    ),
}
SHELF = {
    (name, version): Receipt(name, version, "harbour", "", "", channels)
    for name, version, channels in [
        ("kelp", "3.6.2", ()), ("kelp", "4.2.1", ("lts",)), ("kelp", "5.0.0", ()), ("kelp", "6.0.0-rc.1", ()),
        ("coral", "10.1", ()), ("coral", "11.0.4", ()),
    ]
}  # fmt: skip


def pins(name: str, text: str) -> list[tuple[str, str, int, str]]:
    return [(p.runtime, p.want, p.line, p.wrong[:20]) for p in read_pins(name, text.encode(), RECIPES)]


@pytest.mark.parametrize(
    ("name", "text", "found"),
    [
        (".kelp-version", "4.2\n", [("kelp", "4.2", 1, "")]),
        (".kelp-version", "\ufeff# the desk's\n\n lts # for now\n3.6", [("kelp", "lts", 3, "")]),
        (".kelp-version", "", [("kelp", "", 1, "holds no version")]),
        ("KELP", "^4.2", [("kelp", "^4.2", 1, "'^4.2' is not a val")]),
        (
            "workstation.toml",
            'run = "rm"\n[runtimes.kelp]\n# no\nwant = ">=4 <5"',
            [("kelp", ">=4 <5", 4, "")],
        ),
        ("workstation.toml", "runtimes = 4", []),
        ("workstation.toml", "[runtimes", [("", "", 1, "is not TOML: ")]),
        ("package.json", '{\n"engines": {"kelp": "^4.1 || 5"}}', [("kelp", "^4.1 || 5", 2, "")]),
        ("package.json", '{"engines": [1]}', []),
        ("package.json", "{", []),
        ("pyproject.toml", '[project]\nrequires-coral = "~=10.0"\n', [("coral", "~=10.0", 2, "")]),
        ("go.mod", "module desk\n\ngo 10.2\n", [("coral", "10.2", 3, "")]),
    ],
)
def test_what_a_file_pins(name: str, text: str, found: list[tuple[str, str, int, str]]) -> None:
    assert [
        (*pin, wrong[: len(e[3])] if e[3] else wrong)
        for (*pin, wrong), e in zip(pins(name, text), found, strict=True)
    ] == found


@pytest.mark.parametrize(
    ("name", "text", "version"),
    [
        (".kelp-version", "4", "4.2.1"),
        (".kelp-version", "lts", "4.2.1"),
        (".kelp-version", "latest", "5.0.0"),
        (".kelp-version", "6.0.0-rc.1", "6.0.0-rc.1"),
        (".kelp-version", "system", "system"),
        (".kelp-version", "7", None),
        ("package.json", '{"engines": {"kelp": ">=3"}}', "3.6.2"),
        ("package.json", '{"engines": {"kelp": "^4"}}', "4.2.1"),
        ("package.json", '{"engines": {"kelp": "sea"}}', None),
        ("pyproject.toml", '[project]\nrequires-coral = ">=10,<11"', "10.1"),
        ("go.mod", "go 10.2", "11.0.4"),
    ],
)
def test_which_installed_version_a_pin_means(name: str, text: str, version: str | None) -> None:
    (pin,) = read_pins(name, text.encode(), RECIPES)
    here = [receipt for (runtime, _), receipt in SHELF.items() if runtime == pin.runtime]
    assert pin.choose(here, "3.6.2" if pin.runtime == "kelp" else "10.1") == version


def test_a_pin_with_something_wrong_admits_nothing() -> None:
    wrong = Pin("kelp", "4", 1, wrong="is not a version")
    assert not wrong.admits("4.2.1", ("lts",))
    assert wrong.choose(list(SHELF.values()), "4.2.1") is None
    assert Pin("kelp", "4", 1).admits("4.2.1", ("lts",))


def test_a_project_says_nothing_of_the_machine() -> None:
    assert is_project('title = "Tides"\n[runtimes.kelp]\nwant = "4"\n')
    for more in (
        '[feeds.x]\nkind = "npm"\n',
        '[runtimes.kelp]\nwant = "4"\nextras = []\n',
        "[[",
        "runtimes = 4",
    ):
        assert not is_project(more)


def chooser(home: Path, **default: str) -> Chooser:
    locations = locate({"HOME": str(home)})
    return Chooser(
        RECIPES, SHELF, {"kelp": "4.2.1", "coral": "11.0.4", **default}, locations, home / "workstation.toml"
    )


def test_the_nearest_pin_counts_and_a_requirement_only_where_there_is_no_pin(tmp_path: Path) -> None:
    deep = tmp_path / "work/one/two"
    deep.mkdir(parents=True)
    (tmp_path / "workstation.toml").write_text('[runtimes.kelp]\nwant = "3"\n')
    (tmp_path / "work/.kelp-version").write_text("# here\n5\n")
    (tmp_path / "work/one/package.json").write_text('{"engines": {"kelp": "3.x"}}')
    (deep / "go.mod").write_text("go 9\n")

    def effect(folder: Path, session: str = "") -> list[tuple[str, str, str]]:
        found = chooser(tmp_path).active(folder, session, {"kelp": "a", "coral": "b"})
        return [(c.version, c.scope, c.decided_by) for c in found]

    assert effect(tmp_path)[0] == ("4.2.1", "default", "a"), "the machine's own manifest is no project's"
    assert effect(deep)[0] == ("5.0.0", "project", "~/work/.kelp-version:2")
    assert effect(deep)[1] == ("11.0.4", "project", "~/work/one/two/go.mod:1"), "the default meets it"
    assert effect(deep, "kelp=3.6.2")[0] == ("3.6.2", "session", "$ZESTY_ANCHOR_SESSION")
    (tmp_path / "work/.kelp-version").unlink()
    assert effect(deep)[0] == ("3.6.2", "project", "~/work/one/package.json:1")


def test_what_the_shells_read_bears_the_time_of_the_file(tmp_path: Path) -> None:
    file = tmp_path / "work/workstation.toml"
    file.parent.mkdir()
    file.write_text(
        '[runtimes.kelp]\nwant = "5"\n[runtimes.coral]\nwant = "9"\n[runtimes.brine]\nwant = "1"\n'
    )
    here = Workstation({}, locate({"HOME": str(tmp_path)}), tmp_path, recipes=RECIPES)
    write_answers(chooser(tmp_path), here, [file, tmp_path / "gone"])
    answer = locate({"HOME": str(tmp_path)}).pins / f"{str(file)[1:]}="
    assert answer.stat().st_mtime_ns == file.stat().st_mtime_ns
    assert answer.read_text().splitlines() == [
        "kelp=5.0.0 ! ;",
        "kelp 5.0.0 !",
        (
            "- coral zesty-anchor: ~/work/workstation.toml:4 wants coral 9, which is not installed; install"
            " it with: zesty-anchor provision; and 1 more: zesty-anchor list"
        ),
    ]
    SHELF["coral", "9.1"] = Receipt("coral", "9.1", "harbour", "", "")
    try:
        renew_answers(chooser(tmp_path), here)
    finally:
        del SHELF["coral", "9.1"]
    assert answer.read_text().startswith("kelp=5.0.0 coral=9.1 ! ;\n")
    file.unlink()
    renew_answers(chooser(tmp_path), here)
    assert not answer.exists()


def test_the_names_that_a_shell_looks_for() -> None:
    expected = (
        "workstation.toml",
        ".kelp-version",
        "KELP",
        ".coral-version",
        "package.json",
        "pyproject.toml",
        "go.mod",
    )
    assert names(RECIPES) == expected


@pytest.mark.parametrize(
    ("text", "fits"),
    [
        (">= 4", True),
        ("^14 || >= 16", True),
        ("> 4 < 23", True),
        ("~ 22.23", True),
        ("= 22.23.5", True),
        (">=v12", True),
        (">=6.0.0 <9.0.0|| >=14", True),
        ("~> 22.23", True),
        ("4 - 22", True),
        ("< 20", False),
        ("> 22 < 22.23", False),
        ("^ 14 || ~ 16", False),
        ("kelp >= 4", False),
    ],
)
def test_a_range_of_npm_may_have_spaces_after_its_operators(text: str, fits: bool) -> None:
    """npm documentation, "semver", "Ranges"."""
    assert meets(text, "npm", "22.23.5") is fits
