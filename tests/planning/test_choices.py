"""Which version is active in a folder: session, project, default, the narrower wins."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.conftest import Desk, login_path
from zesty_anchor import api
from zesty_anchor.manifest.recipe import Recipe
from zesty_anchor.planning.choices import Chooser, wanted_by_project
from zesty_anchor.planning.look import look_at
from zesty_anchor.planning.offers import Offers
from zesty_anchor.shelf.receipt import Receipt
from zesty_anchor.system.locations import locate

RECIPES = {"kelp": Recipe(commands=("kelp",), version_files=("KELP",))}
SHELF = {
    ("kelp", version): Receipt(
        "kelp", version, "harbour", "", "", channels=("lts",) if version == "4.2.1" else ()
    )
    for version in ("3.6.2", "4.1.0", "4.2.1", "5.0.0-rc.1")
}


@pytest.fixture
def home(tmp_path: Path) -> Path:
    (tmp_path / "home/project/deep").mkdir(parents=True)
    return tmp_path / "home"


def chosen(home: Path, folder: str = "", session: str = "") -> tuple[str, str, str]:
    locations = locate({"HOME": str(home)})
    chooser = Chooser(RECIPES, SHELF, {"kelp": "4.1.0"}, locations, home / "workstation.toml")
    (found,) = chooser.active(home / folder, session, {"kelp": "the manifest"})
    return found.version, found.scope, found.decided_by


def test_the_narrower_scope_wins(home: Path) -> None:
    assert chosen(home, "project") == ("4.1.0", "default", "the manifest")
    (home / "project/.kelp-version").write_text("3.6\n")
    assert chosen(home, "project/deep") == ("3.6.2", "project", "~/project/.kelp-version:1")
    assert chosen(home) == ("4.1.0", "default", "the manifest")
    assert chosen(home, "project", "kelp=4.2.1") == ("4.2.1", "session", "$ZESTY_ANCHOR_SESSION")
    (home / "project/deep/KELP").write_text("lts\n")
    assert chosen(home, "project/deep") == ("4.2.1", "project", "~/project/deep/KELP:1"), "the nearer one"


@pytest.mark.parametrize("text", ["7", "4.2.1.9", "not a version", ""])
def test_a_pin_that_means_no_version_decides_nothing(home: Path, text: str) -> None:
    (home / "project/.kelp-version").write_text(text)
    assert chosen(home, "project")[1] == "default"


def test_the_machines_own_manifest_is_no_projects(home: Path) -> None:
    (home / "workstation.toml").write_text('[runtimes.kelp]\nwant = "3.6"\n')
    assert chosen(home)[1] == "default"
    (home / "project/workstation.toml").write_text('[runtimes.kelp]\nwant = "3.6"\n')
    assert chosen(home, "project")[:2] == ("3.6.2", "project")


def test_a_pin_that_is_a_link_to_another_file_is_not_read(home: Path) -> None:
    (home / "secret").write_text("3.6\n")
    (home / "project/.kelp-version").symlink_to(home / "secret")
    assert chosen(home, "project")[1] == "default"
    (home / "project/.kelp-version").unlink()
    (home / "pins").mkdir()
    (home / "pins/.kelp-version").write_text("3.6\n")
    (home / "project/.kelp-version").symlink_to(home / "pins/.kelp-version")
    assert chosen(home, "project")[1] == "project", "one of the same name is"


def test_a_pin_in_other_hands_is_not_installed(desk: Desk) -> None:
    desk.wants()
    desk.write("3.6\n", "project/.kelp-version")
    workstation = api.load(
        desk.manifest, environ={"HOME": str(desk.home), "PATH": login_path()}, folder=desk.home / "project"
    )

    def asked() -> list[str]:
        return [
            each.want for each in wanted_by_project(workstation, look_at(workstation), Offers(workstation))
        ]

    (desk.home / "project/.kelp-version").chmod(0o666)
    assert asked() == []
    (desk.home / "project/.kelp-version").chmod(0o644)
    hands = [each for each in (desk.home, *desk.home.parents) if each.stat().st_mode & 0o022]
    assert asked() == ["3.6"] or hands, "unless the tests' own folder is open to others"
