"""Freeing disk space: only what nothing needs goes, and it is gone from the disk."""

from __future__ import annotations

import os
from pathlib import Path

import pytest

from tests.conftest import Desk
from zesty_anchor.planning.prunable import Prunable, chosen, days
from zesty_anchor.survey.disk_use import disk_use

pytestmark = pytest.mark.needs("bash")
ALL = '[runtimes.kelp]\nwant = "4.2.1"\nalso = ["3.6.2", "4.1.0", "5.0.0"]\n'


@pytest.fixture
def full(desk: Desk) -> Desk:
    """Four versions, of which the manifest names two now and a project pins one."""
    desk.wants('[shells]\nuse = ["bash"]\n', ALL)
    desk.well("provision")
    desk.wants('[shells]\nuse = ["bash"]\n', '[runtimes.kelp]\nwant = "4.2.1"\nalso = ["5.0.0"]\n')
    desk.well("provision")
    desk.write("3.6\n", "tides/.kelp-version")
    desk.shell("bash", f"cd {desk.home}/tides; kelp", "-i")
    return desk


def rows(desk: Desk, *words: str) -> dict[str, tuple[bool, str]]:
    things = desk.well("prune", "--list", "--json", *words).json["things"]
    assert all(each["size"] > 0 for each in things)
    return {each["subject"]: (each["goes"], "; ".join(each["needed"])) for each in things}


def test_what_needs_each_version_is_named_and_the_rest_goes(full: Desk) -> None:
    seen = rows(full, "versions")
    assert seen["kelp 4.2.1"][1].startswith("wanted by ~/workstation.toml:")
    assert seen["kelp 3.6.2"] == (False, "pinned by ~/tides/.kelp-version:1")
    assert seen["kelp 4.1.0"] == (True, "") and not seen["kelp 5.0.0"][0]
    assert rows(full)["archive of kelp 4.2.1"] == (False, "repairs kelp 4.2.1")
    assert rows(full, "--all")["archive of kelp 4.2.1"][0]

    asked = full.run("prune", "versions")
    assert asked.code == 5 and "delete kelp 4.1.0? frees" in asked.err
    done = full.well("prune", "versions", "--yes", "--json").json
    assert done["deleted"] and not (full.shelf / "kelp/4.1.0").exists()
    assert done["freed"] > 4096 and not list((full.home / ".local/state").rglob("kelp")), "nor in the attic"
    assert full.well("attic").out == "The attic is empty.\n"
    gone = full.well("undo", "--json").json
    assert any("kelp 4.1.0 is not restored" in notice for notice in gone["notices"])
    assert full.shell("bash", "kelp --version", "-i").strip() == "kelp 4.2.1"


def test_nothing_to_delete_and_downloads_of_what_is_gone(full: Desk) -> None:
    assert "1 thing deleted" in full.well("prune", "versions", "--yes").out
    seen = rows(full, "downloads")
    assert [goes for goes, _ in seen.values()].count(True) == 1, "the archive of 4.1.0"
    full.well("prune", "--yes")
    shown = full.well("prune").err
    assert shown.startswith("Nothing to delete: "), shown
    assert full.well("verify").code == 0


def test_the_attic_goes_only_where_it_is_named_and_one_entry_alone(full: Desk) -> None:
    full.well("remove", "kelp", "4.1.0")
    (entry,) = full.well("attic", "--json").json["kept"]
    assert rows(full)[entry["was"].replace(str(full.home), "~")] == (False, "undo restores it")
    assert full.run("attic", "empty", "~/nothing", "--yes").code == 2
    full.write("old\n", "old-kelp/bin/kelp")
    full.write(full.manifest.read_text() + '[[conflicts.remove]]\npath = "~/old-kelp"\n')
    full.well("provision", "--yes")
    assert len(full.well("attic", "--json").json["kept"]) == 2
    full.well("attic", "empty", "~/old-kelp", "--yes")
    assert [each["was"] for each in full.well("attic", "--json").json["kept"]] == [entry["was"]]
    full.well("prune", "attic", "--yes")
    assert full.well("attic").out == "The attic is empty.\n"


def test_a_version_that_a_project_pins_is_asked_about_before_it_is_removed(full: Desk) -> None:
    asked = full.run("remove", "kelp", "3.6.2")
    assert asked.code == 5 and "~/tides/.kelp-version:1 pins it" in asked.err
    assert (full.shelf / "kelp/3.6.2").is_dir()
    full.well("remove", "kelp", "3.6.2", "--yes")
    assert not (full.shelf / "kelp/3.6.2").exists()


def test_which_things_go() -> None:
    def thing(version: str, since: float, *needed: str) -> Prunable:
        return Prunable("versions", f"kelp {version}", f"/{version}", 1, since, needed)

    things = [thing("4.10.0", 0), thing("4.9.0", 0), thing("3.0.0", 86_400 * 9), thing("5.0.0", 0, "wanted")]

    def going(**more: int) -> set[str]:
        found = chosen(things, ("versions",), now=86_400 * 10, **more)
        return {each.subject.removeprefix("kelp ") for each in found if each.goes}

    assert going() == {"4.10.0", "4.9.0", "3.0.0"}
    assert going(older=2) == {"4.10.0", "4.9.0"} and going(keep=2) == {"4.9.0", "3.0.0"}
    assert [days(text) for text in ("90d", "2w", "1y", "7")] == [90, 14, 365, 7]
    with pytest.raises(ValueError, match="90d"):
        days("soon")


def test_disk_use_counts_a_file_with_two_names_once(tmp_path: Path) -> None:
    (tmp_path / "in").mkdir()
    (tmp_path / "in/a").write_bytes(b"x" * 100_000)
    alone = disk_use(tmp_path)
    os.link(tmp_path / "in/a", tmp_path / "b")
    os.symlink("/", tmp_path / "c")
    assert alone >= 100_000 and disk_use(tmp_path) - alone < 50_000
    assert disk_use(tmp_path / "nothing") == 0


def test_undo_says_where_the_version_before_was_deleted(full: Desk) -> None:
    full.wants('[shells]\nuse = ["bash"]\n', '[runtimes.kelp]\nwant = "5.0.0"\n')
    full.well("provision")
    full.well("prune", "versions", "--yes")
    assert "is not installed" not in full.well("undo", "--json").out, "5.0.0 is still the default"
    told = full.well("undo", "--json").json["notices"]
    assert "kelp 4.2.1 is the default again, and not installed: run zesty-anchor provision" in told
    full.wants('[shells]\nuse = ["bash"]\n', '[runtimes.kelp]\nwant = "4.2.1"\n')
    full.well("provision", "--yes")
    assert full.shell("bash", "kelp --version", "-i").strip() == "kelp 4.2.1"
