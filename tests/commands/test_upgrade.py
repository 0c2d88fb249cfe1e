"""Moving to newer versions within the wants: planned, verified and undone as one run."""

from __future__ import annotations

import json
import subprocess
from pathlib import Path

import pytest

from tests.conftest import Desk, packed_runtime
from zesty_anchor.demo.home import likeness
from zesty_anchor.engine.journal import Journal
from zesty_anchor.planning.newer import wider
from zesty_anchor.system.locations import locate

STATE = (".local/state/zesty-anchor", ".cache")
MANIFEST = """\
as-root = "allowed"
[shells]
use = ["bash"]
[feeds.quay]
kind = "folder"
url = "{quay}"
[recipes.kelp]
commands = ["kelp"]
[recipes.kelp.version]
run = "kelp --version"
expect = "kelp {{version}}"
[recipes.tidy]
commands = ["tidy"]
[recipes.tidy.version]
run = "tidy --version"
expect = "tidy {{version}}"
[runtimes.kelp]
want = "4"
unpinned = "accepted"
[runtimes.tidy]
want = "latest"
unpinned = "accepted"
"""


def brings(quay: Path, name: str, version: str, says: str = "") -> None:
    (quay / f"{name}-{version}.tar.gz").write_bytes(packed_runtime(name, version, says))


@pytest.fixture
def quay(desk: Desk, tmp_path: Path) -> Path:
    """A feed that had one version of each when the manifest was provisioned, and has newer ones now."""
    folder = tmp_path / "quay"
    folder.mkdir()
    for name, version in (("kelp", "4.2.1"), ("tidy", "1.0")):
        brings(folder, name, version)
    desk.write(MANIFEST.format(quay=folder))
    desk.well("provision")
    for name, version in (("kelp", "4.2.9"), ("kelp", "5.0.0"), ("tidy", "1.1")):
        brings(folder, name, version)
    assert "Nothing to do" in desk.well("provision").out, "nothing moves by itself"
    return folder


def runs(desk: Desk) -> list[str]:
    return desk.shell("bash", "kelp; tidy", "-i").splitlines()


@pytest.mark.parametrize("locked", [False, True], ids=["no lock", "a lock"])
def test_one_runtime_moves_within_its_want_and_back(desk: Desk, quay: Path, locked: bool) -> None:
    if locked:
        for name, version in (("kelp", "4.2.9"), ("kelp", "5.0.0"), ("tidy", "1.1")):
            (quay / f"{name}-{version}.tar.gz").rename(quay.parent / f"{name}-{version}")
        desk.well("lock")
        for name, version in (("kelp", "4.2.9"), ("kelp", "5.0.0"), ("tidy", "1.1")):
            (quay.parent / f"{name}-{version}").rename(quay / f"{name}-{version}.tar.gz")
    before = likeness(desk.home, STATE)
    listed = desk.well("upgrade", "--list", "--json").json["newer"]
    assert {row["runtime"]: (row["version"], row["newer"], row["beyond"]) for row in listed} == {
        "kelp": ("4.2.1", "4.2.9", "5.0.0"), "tidy": ("1.0", "1.1", ""),
    }  # fmt: skip
    first, *_, last = desk.well("upgrade", "--list").out.splitlines()
    assert first == "2 newer versions within your wants."
    assert last == "To upgrade: zesty-anchor upgrade kelp tidy"
    asked = desk.run("upgrade", "kelp")
    assert asked.code == 5 and "upgrade kelp 4.2.1 -> 4.2.9?" in asked.err
    assert likeness(desk.home, STATE) == before
    done = desk.well("upgrade", "kelp", "--yes")
    assert "kelp 4.2.9" in done.out and runs(desk) == ["kelp 4.2.9", "tidy 1.0"]
    assert "Nothing to do" in desk.well("provision").out and desk.run("verify").code == 0
    if locked:
        assert 'version = "4.2.9"' in (desk.home / "workstation.lock").read_text()
    desk.well("undo")
    assert likeness(desk.home, STATE) == before
    assert "Nothing to do" in desk.well("provision").out, "what was undone does not come back by itself"
    assert runs(desk) == ["kelp 4.2.1", "tidy 1.0"]


def test_all_move_and_a_second_time_nothing(desk: Desk, quay: Path) -> None:
    desk.well("upgrade", "--yes")
    assert runs(desk) == ["kelp 4.2.9", "tidy 1.1"]
    again = desk.well("upgrade", "--yes")
    assert again.out.startswith("Nothing newer within your wants.\n") and "none" in again.out
    assert "changes done" not in again.out and "To upgrade" not in again.out
    assert "did you mean 'kelp'?" in desk.run("upgrade", "klep").err


def test_one_that_does_not_work_is_undone_whole(desk: Desk, quay: Path) -> None:
    brings(quay, "kelp", "4.3.0", says="broken")
    before = likeness(desk.home, STATE)
    answer = desk.run("upgrade", "kelp", "--yes")
    assert answer.code == 1 and "all of this run was undone, because 'kelp is 4.3.0' failed" in answer.out, (
        answer.out
    )
    assert likeness(desk.home, STATE) == before and runs(desk)[0] == "kelp 4.2.1"
    assert "Nothing to do" in desk.well("provision").out


def test_what_a_want_meant_before_a_run_comes_back_with_its_undo(tmp_path: Path) -> None:
    here = locate({"HOME": str(tmp_path)})
    with Journal(here) as journal:
        for run, feed, version in ((1, "quay", "4.1"), (2, "quay", "4.2"), (3, "harbour", "4.3")):
            journal.resolve(run, "kelp", "4", feed, version)
        assert journal.resolutions() == {("kelp", "4", "harbour"): "4.3"}, "a want means one version"
        journal.unresolve(2)
        assert journal.resolutions() == {("kelp", "4", "harbour"): "4.3"}, "a later run has decided"
        journal.unresolve(3)
        assert journal.resolutions() == {("kelp", "4", "quay"): "4.1"}, "the second run was undone before"
        journal.unresolve(1)
        assert journal.resolutions() == {}


@pytest.mark.usefixtures("quay")
def test_status_repeats_what_feeds_answered_until_it_is_installed(desk: Desk) -> None:
    assert desk.well("status", "-q").out == ""
    desk.well("upgrade", "--list")
    before = desk.well("status", "-q").out
    assert "kelp 4.2.9 (zesty-anchor upgrade kelp)" in before and "tidy 1.1" in before
    desk.well("upgrade", "kelp", "--yes")
    seen = desk.well("status", "--json").json
    assert [row["runtime"] for row in seen["newer"]] == ["tidy"] and seen["versions"]["kelp"] == "4.2.9"
    desk.well("dismantle", "--yes")
    assert not (desk.home / ".local/state/zesty-anchor").exists()


def test_what_another_want_would_give_comes_with_the_line_to_write(desk: Desk, quay: Path) -> None:
    place = desk.manifest.read_text().splitlines().index('want = "4"') + 1
    found = desk.well("upgrade", "--list", "--beyond", "--json").json["beyond"]
    assert found == [
        {"runtime": "kelp", "want": "4", "version": "5.0.0", "line": "5", "place": f"~/workstation.toml:{place}"}
    ]  # fmt: skip
    shown = desk.well("upgrade", "--list", "--beyond").out
    row = next(row for row in shown.splitlines() if row.endswith(f"~/workstation.toml:{place}"))
    assert row.split() == ["kelp", "5.0.0", '"5"', '"4"', f"~/workstation.toml:{place}"]
    desk.write(desk.manifest.read_text().replace('want = "4"', 'want = "5"'))
    desk.well("provision")
    assert runs(desk)[0] == "kelp 5.0.0"


@pytest.mark.parametrize(
    ("want", "version", "line"),
    [("4", "5.0.0", "5"), ("4.2", "5.0.0", "5.0"), ("4.2.1", "5.0.0", "5.0.0"), ("lts", "5.0.0", "5"),
     (">=4 <5", "5.0.0-rc.1", "5")],
)  # fmt: skip
def test_which_want_to_write(want: str, version: str, line: str) -> None:
    assert wider(want, version) == line


def test_a_pin_of_a_line_moves_with_the_projects(desk: Desk, quay: Path) -> None:
    brings(quay, "kelp", "3.6.2")
    desk.write("3.6\n", "tides/.kelp-version")
    desk.write("4.2\n", "gauge/.kelp-version")
    desk.well("with", "--install", "kelp=3.6", "--", "true")
    for folder in ("tides", "gauge"):
        assert desk.run("with", "--", "kelp", cwd=desk.home / folder).code == 0
    brings(quay, "kelp", "3.6.9")
    desk.write(desk.manifest.read_text().replace('want = "4"', 'want = "4.2.1"'))
    desk.well("provision")
    shown = desk.well("upgrade", "kelp", "--list", "--projects").out
    assert "~/tides/.kelp-version:1" in shown and "3.6.9" in shown
    assert shown.splitlines()[-1] == "To upgrade: zesty-anchor upgrade kelp --projects"
    done = desk.run("upgrade", "kelp", "--projects", "--yes", "--json")
    assert done.code == 0, done.err
    assert {pin["newer"] for each in done.json["pinned"] for pin in each["pins"]} == {"3.6.9", "4.2.9"}
    for folder, version in (("tides", "3.6.9"), ("gauge", "4.2.9"), (".", "4.2.1")):
        assert desk.run("with", "--", "kelp", cwd=desk.home / folder).out.strip() == f"kelp {version}"
    desk.well("undo")
    assert desk.run("with", "--", "kelp", cwd=desk.home / "tides").out.strip() == "kelp 3.6.2"


def test_who_uses_a_version_that_moves_is_named_first(desk: Desk, quay: Path) -> None:
    desk.write("4.2.1\n", "tides/.kelp-version")
    desk.run("with", "--", "kelp", cwd=desk.home / "tides")
    shown = desk.well("upgrade", "--list").out
    assert "kelp 4.2.1: ~/tides/.kelp-version:1 pins it, and it stays installed" in shown


def test_switch_with_install_takes_the_newest_of_the_line(desk: Desk, quay: Path) -> None:
    (desk.home / "tides").mkdir()
    assert desk.run("switch", "kelp", "4.2", "--project", "--install", cwd=desk.home / "tides").code == 0
    assert (desk.home / "tides/.kelp-version").read_text() == "4.2\n"
    assert desk.run("with", "--", "kelp", cwd=desk.home / "tides").out.strip() == "kelp 4.2.9"
    assert "tides" in desk.well("projects").out


def test_a_stable_path_follows_the_default_version(desk: Desk, quay: Path) -> None:
    path = Path(desk.well("locate", "kelp", "--stable").out.strip())
    assert path.resolve() == desk.shelf / "kelp/4.2.1" and not path.readlink().is_absolute()
    assert (path / "bin/kelp").is_file()
    assert desk.run("locate", "kelp", "4.2", "--stable").code == 2
    desk.well("upgrade", "kelp", "--yes")
    assert path.resolve() == desk.shelf / "kelp/4.2.9"
    assert desk.well("locate", "kelp", "--stable", "--json").json == {
        "runtime": "kelp", "version": "4.2.9", "folder": str(path),
    }  # fmt: skip
    desk.well("undo")
    assert path.resolve() == desk.shelf / "kelp/4.2.1"
    desk.well("undo")
    assert not path.is_symlink() and not path.parent.exists()
    missing = desk.run("locate", "kelp", "--stable")
    assert missing.code == 1 and "is not installed" in missing.err


def test_a_setting_may_name_the_stable_path(desk: Desk, quay: Path) -> None:
    text = (desk.home / "workstation.toml").read_text()
    setting = '[[settings]]\nfile = "~/.config/chart/settings.json"\nkey = "kelp"\nvalue = ["{kelp.stable}/bin/kelp"]\n'
    desk.write(text + setting.replace("kelp.stable", "kelpp.stable"))
    assert "holds {kelpp.stable}" in desk.well("preview").out
    desk.write(text + setting)
    desk.well("provision")
    file = desk.home / ".config/chart/settings.json"
    before = file.read_bytes()
    (named,) = json.loads(before)["kelp"]
    assert subprocess.run([named], capture_output=True, text=True, check=True).stdout == "kelp 4.2.1\n"
    desk.well("upgrade", "kelp", "--yes")
    assert file.read_bytes() == before
    assert subprocess.run([named], capture_output=True, text=True, check=True).stdout == "kelp 4.2.9\n"
