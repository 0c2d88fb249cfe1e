"""One trust for all: the runtimes' own tools are told which certificate authorities count here."""

from __future__ import annotations

import os
from pathlib import Path

import pytest

from tests.conftest import Desk
from zesty_anchor.system import host

pytestmark = pytest.mark.needs("bash", "zsh", "fish")
RECIPE = '[recipes.kelp.trust]\nKELP_CA_FILE = "{authorities}"\n'
SHELLS = '[shells]\nuse = ["bash", "zsh", "fish"]\n'


def test_a_file_of_authorities_reaches_each_shell_and_goes_with_its_line(desk: Desk) -> None:
    desk.wants(f'{SHELLS}[trust]\nfile = "low tide.pem"\n', f'{RECIPE}[runtimes.kelp]\nwant = "4.2.1"\n')
    missing = desk.run("provision")
    assert missing.code == 2 and f"there is no file {desk.home}/low tide.pem" in missing.err
    assert "workstation.toml:" in missing.err
    file = desk.write("made up\n", "low tide.pem")
    desk.well("provision")
    for shell in ("bash", "zsh", "fish"):
        assert desk.shell(shell, "printenv KELP_CA_FILE", "-i").strip() == str(file)
    assert "KELP_CA_FILE" in desk.well("export").out
    checks = [
        check["name"] for each in desk.well("verify", "--json").json["shells"] for check in each["checks"]
    ]
    assert "$KELP_CA_FILE" in checks
    desk.write(desk.manifest.read_text().replace('[trust]\nfile = "low tide.pem"\n', ""))
    desk.well("provision")
    assert desk.shell("bash", "printenv KELP_CA_FILE || echo none", "-i").strip() == "none"


def test_the_system_s_own_is_the_same_whoever_calls(desk: Desk, tmp_path: Path) -> None:
    if not host.system_authorities():
        pytest.fail("this system has no bundle of certificate authorities: apt-get install ca-certificates")
    desk.wants(f"{SHELLS}[trust]\nsystem = true\n", f'{RECIPE}[runtimes.kelp]\nwant = "4.2.1"\n')
    desk.well("provision")
    assert desk.shell("zsh", "printenv KELP_CA_FILE", "-l").strip() == host.system_authorities()
    other = tmp_path / "other.pem"
    other.write_text("made up\n")
    desk.environment["SSL_CERT_FILE"] = str(other)
    assert "Nothing to do" in desk.well("provision").out
    desk.write(desk.manifest.read_text() + f'[variables]\nKELP_CA_FILE = "{other}"\n')
    desk.well("provision")
    assert desk.shell("zsh", "printenv KELP_CA_FILE", "-l").strip() == str(other), "the person's own wins"


def test_authorities_that_an_administrator_added_are_found(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(host, "_OWN_AUTHORITIES", (str(tmp_path / "none"), str(tmp_path)))
    assert host.own_authorities() == []
    (tmp_path / "desk").mkdir()
    for name in ("desk/tide.crt", "README", "low.pem"):
        (tmp_path / name).write_text("made up\n")
    assert sorted(os.path.relpath(each, tmp_path) for each in host.own_authorities()) == [
        "desk/tide.crt",
        "low.pem",
    ]


def test_a_note_says_where_it_would_matter(desk: Desk) -> None:
    added = host.own_authorities()
    desk.wants(SHELLS, f'{RECIPE}[runtimes.kelp]\nwant = "4.2.1"\n')
    noted = "and not by the tools of kelp" in desk.well("preview").out
    assert noted is bool(added)
    assert ("[trust]\nsystem = true" in desk.well("draft", "-").out) is bool(added)
    desk.wants(f"{SHELLS}[trust]\nsystem = false\n", f'{RECIPE}[runtimes.kelp]\nwant = "4.2.1"\n')
    assert "tools of kelp" not in desk.well("preview").out


def test_authorities_beside_a_manifest_are_agreed_to_with_it(desk: Desk) -> None:
    desk.write("made up\n", "desk/low.pem")
    desk.wants(f'{SHELLS}[trust]\nfile = "low.pem"\n', f'{RECIPE}[runtimes.kelp]\nwant = "4.2.1"\n')
    manifest = desk.manifest.rename(desk.home / "desk/workstation.toml")
    desk.well("provision", "-m", str(manifest), "--trust", str(manifest))
    desk.write("another one\n", "desk/low.pem")
    asked = desk.run("provision", "-m", str(manifest))
    assert asked.code == 5 and "low.pem" in asked.err and "--trust" in asked.err


@pytest.mark.needs("bash")
@pytest.mark.skipif(not host.own_authorities(), reason="this system has no authority of its own")
def test_where_the_system_has_one_of_its_own_the_package_tool_is_tried(desk: Desk) -> None:
    tool = '[recipes.kelp]\ncommands = ["kelp"]\nonline = "test -e ~/fetched && touch tidy"\n'
    tool = tool.replace("~", str(desk.home))
    desk.wants(f"{SHELLS}[trust]\nsystem = true\n", f'{tool}[runtimes.kelp]\nwant = "4.2.1"\n')
    text = desk.manifest.read_text()
    desk.manifest.write_text(text.replace(text[text.index("[recipes.kelp]") : text.index(tool)], ""))
    told = desk.well("provision").out
    assert "kelp's package tool fetches a package; zesty-anchor verify --online shows why" in told
    assert desk.run("verify", "--online").code == 4
    desk.well("undo")
    (desk.home / "fetched").touch()
    assert "--online" not in desk.well("provision").out
    (desk.home / "fetched").unlink()
    desk.manifest.write_text(f'{desk.manifest.read_text()}[variables]\nDEPTH = "12"\n')
    assert "--online" not in desk.well("provision", "--offline").out
