"""Choosing among installs that are there already: one of them becomes the version, by links."""

from __future__ import annotations

import subprocess
from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.conftest import Desk, is_root, packed_runtime
from tests.conftest import kelp as files_of

RECIPE = """
[recipes.kelp]
commands = ["kelp"]
variables = { KELP_HOME = "{folder}" }
[recipes.kelp.version]
run = "kelp --version"
expect = "kelp {version}"
"""


def installed(desk: Desk, name: str, version: str, release: str = "") -> Path:
    """An install that somebody made."""
    folder = desk.home / "opt" / name
    for file, (content, mode) in files_of(version).items():
        desk.write(content.decode(), f"opt/{name}/{file}").chmod(mode)
    if release:
        (folder / "release").write_text(release)
    return folder


def wants(desk: Desk, runtime: str) -> None:
    desk.write(
        f'as-root = "allowed"\n[shells]\nuse = ["bash", "zsh", "fish"]\n{RECIPE}[runtimes.kelp]\n{runtime}\n'
    )


@pytest.mark.needs("zsh", "fish")
def test_the_one_that_is_named_answers_with_its_home(desk: Desk) -> None:
    one = installed(desk, "kelp-3", "3.1.4", 'IMPLEMENTOR="the tide desk"\nKELP_VERSION="3.1.4"\n')
    other = installed(desk, "kelp-4.2.0", "4.2.0")
    before = desk.likeness()
    wants(desk, f'want = "system"\nsystem = "{one}"')
    preview = desk.well("preview").out
    assert "kelp 3.1.4" in preview
    desk.well("provision")
    for shell in ("bash", "zsh", "fish"):
        shown = desk.shell(shell, 'kelp --version; echo "$KELP_HOME"', "-i").split()
        assert shown == ["kelp", "3.1.4", str(desk.shelf / "kelp/3.1.4")]
    assert (desk.shelf / "kelp/3.1.4/bin").resolve() == one / "bin"
    assert desk.well("locate", "kelp").out.strip() == str(desk.shelf / "kelp/3.1.4")
    assert desk.well("list", "--json").json["runtimes"][0]["active"]["version"] == "3.1.4"
    assert "Nothing to do" in desk.well("provision").out
    assert desk.run("verify").code == 0

    wants(desk, f'want = "system"\nsystem = "~/opt/{other.name}"')
    desk.well("provision")
    assert desk.shell("bash", "kelp --version", "-i").strip() == "kelp 4.2.0"
    desk.well("undo")
    desk.well("undo")
    wants(desk, "")
    after = desk.likeness()
    after.pop("workstation.toml")
    before.pop("workstation.toml", None)
    assert {k: v for k, v in after.items() if not k.startswith((".local", ".cache"))} == before


@pytest.mark.sees_system
def test_all_that_are_there_are_shown_with_version_and_owner(desk: Desk) -> None:
    """Also those that nothing leads to; of none anything is run."""
    for folder, release in (("kelp-3.1.4", ""), ("tides", 'KELP_VERSION="4.2.0"\n'), ("unnamed", "")):
        desk.write("#!/bin/sh\ntouch ~/it-ran\n", f"{folder}/bin/kelp").chmod(0o755)
        if release:
            desk.write(release, f"{folder}/release")
    desk.write('PATH="$HOME/unnamed/bin:$PATH"\n', ".bashrc")
    desk.write("not to be run\n", "documents/bin/kelp").chmod(0o644)
    wants(desk, f'want = "system"\nsystem = "{desk.home}/kelp-3.1.4"')
    expected = {("~/kelp-3.1.4", "3.1.4"), ("~/tides", "4.2.0"), ("~/unnamed", "")}
    traced = desk.well("trace", "kelp", "--json").json["installs"]
    assert {(each["path"], each["version"]) for each in traced} == expected
    assert {each["owner"] for each in traced} == {f"the folder {path}" for path, _ in expected}
    assert traced[0]["path"] == "~/unnamed", "what answers comes first"
    told = desk.well("list", "kelp").out
    assert "4.2.0" in told and "~/tides" in told and "Other installations" in told
    assert not (desk.home / "it-ran").exists()


def test_what_is_there_of_every_recipe_is_listed_without_a_manifest(desk: Desk) -> None:
    desk.write("#!/bin/sh\ntouch ~/it-ran\n", "zig-0.13.0/bin/zig").chmod(0o755)
    (zig,) = (each for each in desk.well("list", "--json").json["recipes"] if each["runtime"] == "zig")
    assert ("~/zig-0.13.0", "0.13.0") in {(each["path"], each["version"]) for each in zig["here"]}
    assert not (desk.home / "it-ran").exists()


def test_one_that_goes_is_told(desk: Desk) -> None:
    one = installed(desk, "kelp-3.1.4", "3.1.4")
    wants(desk, f'want = "system"\nsystem = "{one}"')
    desk.well("provision")
    (one / "bin/kelp").unlink()
    answer = desk.run("verify")
    assert answer.code == 2 and "holds no command 'kelp'" in answer.err


@pytest.mark.parametrize(
    ("runtime", "told"),
    [
        ('want = "system"\nsystem = "/nowhere/kelp"', "there is no folder /nowhere/kelp"),
        ('want = "system"\nsystem = "opt/kelp"', "no whole path"),
        ('want = "system"\nsystem = "~/opt/kelp"', "tells the version"),
        ('want = "system"\nsystem = "~/opt"', "holds no command"),
        ('want = "system"\nsystem = "~/opt/kelp"\nfeed = "harbour"', "no feed"),
    ],
)
def test_what_cannot_be_taken_is_told(desk: Desk, runtime: str, told: str) -> None:
    installed(desk, "kelp", "3.1.4")
    wants(desk, runtime)
    answer = desk.run("preview")
    assert answer.code == 2 and told in answer.err, answer


def test_the_version_may_be_written(desk: Desk) -> None:
    one = installed(desk, "kelp", "3.1.4")
    wants(desk, f'want = "3.1.4"\nsystem = "{one}"')
    desk.well("provision")
    assert desk.shell("bash", "kelp --version", "-i").strip() == "kelp 3.1.4"


def alternatives(*words: str) -> str:
    return subprocess.run(["update-alternatives", *words], capture_output=True, text=True, check=True).stdout


def leads_to() -> tuple[str, str]:
    """Where the name leads, and whether the system or a person chose that."""
    said = dict(line.partition(": ")[::2] for line in alternatives("--query", "tidewatch").splitlines())
    return said["Value"], said["Status"]


WATCH = RECIPE.replace("kelp", "tidewatch").replace("KELP", "TIDEWATCH")


@pytest.fixture
def two_offers(desk: Desk) -> Iterator[tuple[Path, Path]]:
    """Two installs of tidewatch, which the alternatives system has as one name; it prefers the newer one."""
    folders = []
    for version, priority in (("2.1", "20"), ("3.0", "30")):
        file = desk.write(f"#!/bin/sh\necho tidewatch {version}\n", f"opt/tidewatch-{version}/bin/tidewatch")
        file.chmod(0o755)
        alternatives("--install", "/usr/local/bin/tidewatch", "tidewatch", str(file), priority)
        folders.append(file.parent.parent)
    try:
        yield folders[0], folders[1]
    finally:
        alternatives("--remove-all", "tidewatch")


def watches(desk: Desk, folder: Path, more: str = "") -> None:
    runtime = f'[runtimes.tidewatch]\nwant = "system"\nsystem = "{folder}"\n{more}\n'
    desk.write(f'as-root = "allowed"\n[shells]\nuse = ["bash"]\n{WATCH}{runtime}')


needs_root = pytest.mark.skipif(not is_root(), reason="alternatives are set by root")


@needs_root
@pytest.mark.system
def test_alternatives_follow_the_one_that_is_named(desk: Desk, two_offers: tuple[Path, Path]) -> None:
    old, new = (str(folder / "bin/tidewatch") for folder in two_offers)
    assert leads_to() == (new, "auto")
    watches(desk, two_offers[0])
    preview = desk.well("preview").out
    assert f"update-alternatives --set tidewatch {old}" in preview
    assert "nothing to fetch" in preview
    assert leads_to() == (new, "auto")
    done = desk.well("provision", "--json").json
    assert ["alternative-choice", "set", "done"] in [
        [c["kind"], c["action"], c["outcome"]] for c in done["changes"]
    ]
    assert leads_to() == (old, "manual")
    assert desk.well("provision", "--json").json["changes"] == []

    alternatives("--set", "tidewatch", new)
    answer = desk.run("verify")
    assert answer.code != 0
    assert "alternative tidewatch" in answer.out
    desk.well("provision")
    assert leads_to() == (old, "manual")
    desk.well("undo")
    assert leads_to() == (new, "manual"), "as somebody had set it before that run"
    desk.well("undo")
    assert leads_to() == (new, "manual"), "what somebody set since the first run stays"


@needs_root
@pytest.mark.system
def test_alternatives_are_set_back_or_left_alone(desk: Desk, two_offers: tuple[Path, Path]) -> None:
    old, new = (str(folder / "bin/tidewatch") for folder in two_offers)
    watches(desk, two_offers[0], "alternatives = false")
    desk.well("provision")
    assert leads_to() == (new, "auto")
    assert desk.run("verify").code == 0
    watches(desk, two_offers[0])
    desk.well("provision")
    assert leads_to() == (old, "manual")
    desk.well("undo")
    assert leads_to() == (new, "auto")
    desk.well("provision")
    desk.well("dismantle", "--yes")
    assert leads_to() == (new, "auto")


@needs_root
@pytest.mark.system
def test_an_alternative_that_a_person_set_comes_back(desk: Desk, two_offers: tuple[Path, Path]) -> None:
    old, new = (str(folder / "bin/tidewatch") for folder in two_offers)
    alternatives("--set", "tidewatch", old)
    watches(desk, two_offers[1])
    desk.well("provision")
    assert leads_to() == (new, "manual")
    desk.well("undo")
    assert leads_to() == (old, "manual")


def test_alternatives_of_no_install_are_a_mistake(desk: Desk) -> None:
    wants(desk, 'want = "3"\nalternatives = false')
    answer = desk.run("preview")
    assert answer.code == 2 and "names no install of the system" in answer.err


@pytest.mark.parametrize(("needs", "fits"), [(">=5.30 <6", True), (">=6", False)])
def test_the_systems_own_is_enough_for_what_runs_on_it(desk: Desk, needs: str, fits: bool) -> None:
    (desk.home / "feed").mkdir()
    (desk.home / "feed/tidy-1.0.tar.gz").write_bytes(packed_runtime("tidy", "1.0"))
    desk.write(
        f'as-root = "allowed"\n[shells]\nuse = ["bash"]\n[feeds.quay]\nkind = "folder"\nurl = "{desk.home}/feed"\n'
        '[recipes.perl]\ncommands = ["perl"]\n[recipes.tidy]\ncommands = ["tidy"]\n[recipes.tidy.on]\n'
        f'runtime = "perl"\nranges = {{ "1" = "{needs}" }}\n'
        '[runtimes.perl]\nwant = "system"\n[runtimes.tidy]\nwant = "latest"\nunpinned = "accepted"\n'
    )
    done = desk.run("provision")
    if fits:
        assert done.code == 0, done.out + done.err
        assert desk.shell("bash", "tidy", "-i").strip() == "tidy 1.0"
        desk.well("lock")
    else:
        assert (
            done.code == 2 and "tidy 1.0 runs on perl >=6, and the manifest wants perl system 5." in done.err
        )
