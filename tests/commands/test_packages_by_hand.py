"""Packages that a person installed with the runtime's own package tool: seen, named, and taken along."""

from __future__ import annotations

import subprocess
from pathlib import Path

import pytest

from tests.conftest import Desk, packed_runtime
from zesty_anchor.files.inventory import take
from zesty_anchor.manifest.recipe import ExtraTool, InstalledPackages, Recipe
from zesty_anchor.shelf.receipt import note_files
from zesty_anchor.survey.packages import Package, packages_by_hand

pytestmark = pytest.mark.needs("bash")
ADD = r"""
[ "$NAME" != sunken ] || { echo "no $NAME for $FOLDER" >&2; exit 1; }
mkdir -p "$FOLDER/packages/$NAME"
printf '{"name": "%s", "version": "%s"}' "$NAME" "$VERSION" >"$FOLDER/packages/$NAME/pack.json"
printf '#!/bin/sh\necho %s %s\n' "$NAME" "$VERSION" >"$FOLDER/bin/$NAME"
chmod +x "$FOLDER/bin/$NAME"
"""
MANIFEST = f"""\
as-root = "allowed"
[shells]
use = ["bash"]
[feeds.quay]
kind = "folder"
url = "QUAY"
[recipes.kelp]
commands = ["kelp"]
[recipes.kelp.version]
run = "kelp --version"
expect = "kelp {{version}}"
[recipes.kelp.extras]
install = '''{ADD}'''
packages = [{{ files = "packages/*/pack.json" }}]
[runtimes.kelp]
want = "4"
unpinned = "accepted"
extras = ["kelp-tidy@1.2"]
"""


def adds(desk: Desk, version: str, name: str, number: str) -> None:
    """Install a package as the person does, by hand."""
    folder = desk.shelf / "kelp" / version
    subprocess.run(
        ["sh", "-c", ADD],
        env={"FOLDER": str(folder), "NAME": name, "VERSION": number, "PATH": "/usr/bin:/bin"},
        check=True,
    )


@pytest.fixture
def quay(desk: Desk, tmp_path: Path) -> Path:
    """A version with two packages by hand, and a newer version in its feed."""
    folder = tmp_path / "quay"
    folder.mkdir()
    (folder / "kelp-4.2.1.tar.gz").write_bytes(packed_runtime("kelp", "4.2.1"))
    desk.write(MANIFEST.replace("QUAY", str(folder)))
    desk.well("provision", "--yes")
    adds(desk, "4.2.1", "foam", "2.1")
    adds(desk, "4.2.1", "spray", "0.3")
    (folder / "kelp-4.2.9.tar.gz").write_bytes(packed_runtime("kelp", "4.2.9"))
    return folder


def test_a_package_by_hand_is_no_change_of_ours(desk: Desk, quay: Path) -> None:
    seen = desk.run("verify")
    assert seen.code == 0, seen.out
    assert "foam, spray have no launchers yet, for editors, cron and make: zesty-anchor provision" in seen.out
    assert "Unchanged since provisioning" in desk.well("status").out
    (desk.home / ".local/share/zesty-anchor/bin/kelp").unlink()
    assert desk.run("verify").code == 6, "one of ours that is gone is another matter"
    desk.well("provision", "--yes")
    assert (desk.home / ".local/share/zesty-anchor/bin/foam").exists()
    seen = desk.well("verify")
    assert "launcher" not in seen.out
    (desk.home / ".local/share/zesty-anchor/bin/kelp-tidy").unlink()
    assert desk.run("verify").code == 6, "and so is that of an extra"


def test_they_are_listed_and_named_before_a_version_goes(desk: Desk, quay: Path) -> None:
    (listed,) = desk.well("list", "-v", "--json").json["runtimes"]
    (details,) = listed["details"]
    assert [package["name"] for package in details["packages"]] == ["foam", "spray"], "kelp-tidy is an extra"
    assert details["size"] > 1000 and "wanted by" in details["needed"][0]
    assert "you installed foam@2.1, spray@0.3" in desk.well("list", "kelp", "-v").out
    desk.well("upgrade", "--yes")
    asked = desk.run("remove", "kelp", "4.2.1")
    assert asked.code == 5 and "it has foam@2.1, spray@0.3, which you installed" in asked.err
    assert "kelp 4.2.1 (with foam@2.1, spray@0.3)" in desk.run("prune", "versions").err


def test_one_question_takes_all_of_them_along_and_undo_brings_them_back(desk: Desk, quay: Path) -> None:
    desk.write(desk.manifest.read_text().replace('want = "4"', 'want = "4.2.9"'))
    asked = desk.run("provision")
    assert asked.code == 5
    assert "install in kelp 4.2.9 what you installed in 4.2.1 (foam@2.1, spray@0.3)?" in asked.err
    assert '[runtimes.kelp] carry = "yes" or "no"' in asked.err
    assert not (desk.shelf / "kelp/4.2.9").exists()
    desk.well("provision", "--yes")
    assert desk.shell("bash", "kelp --version; foam; spray; kelp-tidy", "-i").splitlines() == [
        "kelp 4.2.9", "foam 2.1", "spray 0.3", "kelp-tidy 1.2",
    ]  # fmt: skip
    assert "Nothing to do" in desk.well("provision").out
    (listed,) = desk.well("list", "-v", "--json").json["runtimes"]
    both = {each["version"]: [p["name"] for p in each["packages"]] for each in listed["details"]}
    assert both == {"4.2.1": ["foam", "spray"], "4.2.9": ["foam", "spray"]}, "they stay the person's own"
    assert desk.well("verify").code == 0
    desk.well("undo")
    assert desk.shell("bash", "kelp --version; foam", "-i").splitlines() == ["kelp 4.2.1", "foam 2.1"]


@pytest.mark.parametrize("carry", ["no", "yes"])
def test_the_manifest_answers_for_good(desk: Desk, quay: Path, carry: str) -> None:
    text = desk.manifest.read_text().replace('want = "4"', f'want = "4.2.9"\ncarry = "{carry}"')
    desk.write(text)
    desk.well("provision")
    assert (desk.shelf / "kelp/4.2.9/bin/foam").exists() is (carry == "yes")


def test_one_that_cannot_be_installed_holds_back_no_other(desk: Desk, quay: Path) -> None:
    folder = desk.shelf / "kelp/4.2.1/packages/sunken"
    folder.mkdir()
    (folder / "pack.json").write_text('{"name": "sunken", "version": "1"}')
    desk.write(desk.manifest.read_text().replace('want = "4"', 'want = "4.2.9"'))
    failed = desk.run("provision", "--yes")
    assert failed.code == 1 and "sunken" in failed.out + failed.err
    assert (desk.shelf / "kelp/4.2.9/bin/foam").exists() and (desk.shelf / "kelp/4.2.9/bin/spray").exists()
    assert folder.is_dir(), "the old version has it still"


def test_each_form_of_a_description_is_read(tmp_path: Path) -> None:
    tool = ExtraTool("true", packages=tuple(
        InstalledPackages(files, form)  # type: ignore[arg-type]
        for files, form in (("a/*.json", "json"), ("b/*", "headers"), ("c/*.spec", "file name"))
    ))  # fmt: skip
    for name in ("a", "b", "c"):
        (tmp_path / name).mkdir()
    (tmp_path / "a/own.json").write_text('{"name": "own"}')
    note_files(tmp_path, take(tmp_path, digests=False), {})
    (tmp_path / "a/one.json").write_text('{"name": "@tide/one", "version": "1.0", "more": [1]}')
    (tmp_path / "a/bad.json").write_text("{")
    (tmp_path / "b/METADATA").write_text("Metadata-Version: 2.1\nName: two\nVersion: 2.0\n\nName: no\n")
    (tmp_path / "c/low-tide-3.0.1.spec").write_text("")
    (tmp_path / "c/none.spec").write_text("")
    recipe = Recipe(commands=("kelp",), extras=tool)
    found = packages_by_hand(tmp_path, recipe, {"two"})
    assert found == (Package("@tide/one", "1.0"), Package("low-tide", "3.0.1"))


def test_what_landed_already_is_not_edited_again_while_packages_come(desk: Desk, quay: Path) -> None:
    slow = desk.manifest.read_text().replace("mkdir -p", "sleep 1.3; mkdir -p")
    desk.write(slow.replace('want = "4"', 'want = "4.2.9"').replace('extras = ["kelp-tidy@1.2"]', ""))
    done = desk.well("provision", "--yes")
    assert "ready in new shells: kelp 4.2.9" in done.err and "failed" not in done.err, done.err
