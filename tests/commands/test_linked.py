"""Choosing among installs that are there already: one of them becomes the version, by links."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.conftest import Desk
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
    desk.write(f'as-root = "allowed"\n[shells]\nuse = ["bash", "zsh", "fish"]\n{RECIPE}[runtimes.kelp]\n{runtime}\n')


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
    assert desk.well("list", "--json").json["runtimes"][0]["in_effect"]["version"] == "3.1.4"
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
