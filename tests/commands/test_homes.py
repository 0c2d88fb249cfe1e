"""Homes as people have them: linked, encoded and ended in every way; and what stays when a part fails."""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path

import pytest

from tests.conftest import Desk, kelp
from zesty_anchor.demo.home import likeness
from zesty_anchor.demo.wares import pack, write_index, write_runtime
from zesty_anchor.shells.known import SHELLS
from zesty_anchor.system.host import login_shell

pytestmark = pytest.mark.needs("bash", "zsh")
STATE = (".local/state/zesty-anchor", ".cache")

BASHRC = {
    "CRLF": b"alias a=b\r\nexport EDITOR=vi\r\n",
    "no last line end": b"alias a=b\nexport EDITOR=vi",
    "Latin-1": b"# caf\xe9\nexport PLACE='Malm\xf6'\n",
    "20,000 lines": b"# a remark of the tide desk\n" * 20_000 + b"export EDITOR=vi\n",
    "empty": b"",
    "a guard at the top": b"case $- in *i*) ;; *) return ;; esac\nalias a=b\n",
}


@pytest.mark.parametrize("name", BASHRC)
def test_every_kind_of_startup_file_comes_back_byte_for_byte(desk: Desk, name: str) -> None:
    (desk.home / ".bashrc").write_bytes(BASHRC[name])
    (desk.home / ".bashrc").chmod(0o600)
    desk.wants()
    before = likeness(desk.home, STATE)
    desk.well("provision")
    rows = (desk.home / ".bashrc").read_bytes().splitlines(keepends=True)
    own = b"".join(row for row in rows if b"zesty-anchor block" not in row)
    assert own.removesuffix(b"\n") == BASHRC[name].removesuffix(b"\n")
    assert sum(b"zesty-anchor block" in row for row in rows) == (2 if name == "a guard at the top" else 1)
    assert (desk.home / ".bashrc").stat().st_mode & 0o777 == 0o600
    for options in (("-l",), ("-i",), ("-l", "-i")):
        assert desk.shell("bash", "kelp --version", *options).strip() == "kelp 4.2.1"
    desk.well("undo")
    assert likeness(desk.home, STATE) == before


def test_a_repository_of_dotfiles_keeps_its_links(desk: Desk) -> None:
    for name in ("bashrc", "zshrc"):
        desk.write(f"# {name} of the desk\n", f"dotfiles/{name}")
        (desk.home / f".{name}").symlink_to(f"dotfiles/{name}")
    desk.wants()
    before = likeness(desk.home, STATE)
    desk.well("provision")
    assert (desk.home / ".bashrc").is_symlink()
    assert "zesty-anchor block" in (desk.home / "dotfiles/zshrc").read_text()
    assert "leads to ~/dotfiles/bashrc" in desk.well("survey").out
    desk.well("undo")
    assert likeness(desk.home, STATE) == before


def test_zsh_with_a_folder_of_its_own(desk: Desk) -> None:
    desk.write('export ZDOTDIR="$HOME/z"\n', ".zshenv")
    desk.write("alias a=b\n", "z/.zshrc")
    desk.wants()
    assert desk.well("provision", "--json").json["proof"]["ok"]
    assert "zesty-anchor block" in (desk.home / "z/.zshrc").read_text()
    assert not (desk.home / ".zshrc").exists()
    assert desk.shell("zsh", "kelp --version", "-i").strip() == "kelp 4.2.1"


@pytest.mark.parametrize("login", [".bash_profile", ".bash_login", ".profile"])
def test_the_login_file_that_bash_really_reads(desk: Desk, login: str) -> None:
    desk.write("export MINE=1\n", login)
    desk.wants('[shells]\nuse = ["bash"]\n')
    desk.well("provision")
    assert desk.shell("bash", 'kelp --version; echo "$MINE"', "-l").split("\n")[:2] == ["kelp 4.2.1", "1"]
    assert {f.name for f in desk.home.iterdir() if f.name.startswith((".bash_", ".prof"))} == {login}


def test_only_the_login_shell(desk: Desk) -> None:
    desk.wants('[shells]\nuse = ["zsh"]\n')
    desk.well("provision")
    assert not (desk.home / ".bashrc").exists()
    assert {s["shell"] for s in desk.well("verify", "--json").json["shells"]} == {"zsh"}
    desk.wants('[shells]\nuse = "login"\n')
    known = any(Path(login_shell()).name in (name, *shell.programs) for name, shell in SHELLS.items())
    assert desk.run("preview").code == (0 if known else 2)


def test_the_places_of_the_specification_are_kept_to(desk: Desk, tmp_path: Path) -> None:
    for kind in ("DATA", "STATE", "CACHE", "CONFIG"):
        desk.environment[f"XDG_{kind}_HOME"] = str(tmp_path / kind.lower())
    desk.wants()
    before = likeness(desk.home)
    desk.well("provision")
    assert (tmp_path / "data/zesty-anchor/shelf/kelp/4.2.1").is_dir()
    assert not (desk.home / ".local").exists()
    assert desk.shell("bash", "kelp --version", "-i").strip() == "kelp 4.2.1"
    desk.well("dismantle", "--yes")
    assert likeness(desk.home) == before
    assert [f.name for f in tmp_path.iterdir()] == ["home"]


def test_the_system_is_asked_for_what_is_left_to_it(desk: Desk) -> None:
    recipes = '[recipes.cat]\ncommands = ["cat"]\n[recipes.krill]\ncommands = ["krill"]\n'
    desk.wants(recipes + '[runtimes.cat]\nwant = "system"\n')
    desk.well("provision")
    assert "the system's cat is found" in desk.well("verify", "-v").out
    desk.wants(recipes + '[runtimes.krill]\nwant = "system"\n')
    assert desk.run("verify").code == 4
    desk.wants(recipes + '[runtimes.cat]\nwant = "4"\nalso = ["system"]\n')
    assert desk.run("preview").code == 2


def test_what_is_left_to_the_system_is_not_answered_from_the_home(desk: Desk) -> None:
    recipe = '[recipes.cat]\ncommands = ["cat"]\n'
    desk.write("#!/bin/sh\n", "old/bin/cat").chmod(0o755)
    desk.wants(recipe + '[path]\nfirst = ["~/old/bin"]\n', '[runtimes.cat]\nwant = "system"\n')
    desk.run("provision")
    line = desk.manifest.read_text().splitlines().index('first = ["~/old/bin"]') + 1
    (cause,) = {
        (c["cause"]["file"], c["cause"]["line"])
        for s in desk.run("verify", "--json").json["shells"]
        for c in s["checks"]
        if not c["ok"] and c["name"] == "the system's cat is found"
    }
    assert cause == ("~/workstation.toml", line)
    desk.wants(recipe, '[runtimes.cat]\nwant = "system"\n')
    desk.well("provision")
    desk.well("verify")
    assert "cat is the system's own" in desk.well("explain", "cat").out


def test_a_line_that_hides_the_systems_own_is_offered_as_a_fix(desk: Desk) -> None:
    desk.write("#!/bin/sh\n", "old/bin/cat").chmod(0o755)
    desk.wants('[recipes.cat]\ncommands = ["cat"]\n', '[runtimes.cat]\nwant = "system"\n')
    desk.well("provision")
    bashrc = desk.home / ".bashrc"
    bashrc.write_text(bashrc.read_text() + "PATH=~/old/bin:$PATH\n")
    offered = desk.run("verify", "--json").json["fixes"]
    assert [each["text"] for each in offered] == [f"delete ~/.bashrc:{len(bashrc.read_text().splitlines())}"]


@pytest.fixture
def two(desk: Desk, make_feed: Callable[..., str], tmp_path: Path) -> Desk:
    """A feed with kelp and limpet, of which limpet can be spoiled."""
    desk.url = make_feed({})
    releases = [
        (
            v,
            "2026-01-01",
            (),
            "any",
            f"limpet-{v}.tgz",
            pack("x", {"bin/limpet": (f"#!/bin/sh\n# {v}\necho limpet\n".encode(), 0o755)}, "tar.gz"),
        )
        for v in ("1.0", "2.0")
    ]
    write_runtime(tmp_path / "feed0", "limpet", releases)
    write_runtime(
        tmp_path / "feed0",
        "kelp",
        [("4.2.1", "2026-01-01", ("lts",), "any", "kelp.tgz", pack("k", kelp("4.2.1"), "tar.gz"))],
    )
    write_index(tmp_path / "feed0", ["kelp", "limpet"])
    return desk


def wanting(version: str) -> str:
    return (
        f'[recipes.limpet]\ncommands = ["limpet"]\n[runtimes.limpet]\nwant = "{version}"\n[variables]\nLIMPET'
        ' = "{limpet}"\nGAUGE = "ok"\n'
    )


def test_what_does_not_depend_on_a_failure_reaches_the_shells(two: Desk, tmp_path: Path) -> None:
    (tmp_path / "feed0/limpet-1.0.tgz").write_bytes(b"spoiled")
    two.wants(wanting("1.0"))
    answer = two.run("provision", "--json")
    assert answer.code == 1
    outcomes = {c["subject"]: c["outcome"] for c in answer.json["changes"]}
    assert outcomes["limpet 1.0"] == "failed"
    assert outcomes["~/.bashrc"] == "done"
    said = two.shell("bash", 'kelp --version; echo "${LIMPET-unset} $GAUGE"', "-i").split("\n")
    assert said[:2] == ["kelp 4.2.1", "unset ok"]


def test_a_version_in_use_is_not_taken_away_for_one_that_fails(two: Desk, tmp_path: Path) -> None:
    two.wants(wanting("1.0"))
    two.well("provision")
    (tmp_path / "feed0/limpet-2.0.tgz").write_bytes(b"spoiled")
    two.wants(wanting("2.0"))
    before = two.likeness()
    assert two.run("provision").code == 1
    assert two.likeness() == before
    assert two.shell("zsh", "limpet", "-i").strip() == "limpet"


@pytest.mark.sees_system
def test_who_owns_a_command_is_told(desk: Desk) -> None:
    if not Path("/var/lib/dpkg/status").exists():
        pytest.skip("this system has no dpkg")
    recipes = '[recipes.cat]\ncommands = ["cat"]\n'
    desk.write("#!/bin/sh\n", "bin/cat").chmod(0o755)
    desk.write('PATH="$HOME/bin:$PATH"\n', ".bashrc")
    desk.wants(recipes + '[runtimes.cat]\nwant = "system"\n')
    found = [
        a
        for a in desk.well("survey", "--json").json["answers"]
        if a["command"] == "cat" and a["shell"] == "bash"
    ]
    assert found[0]["wins"]
    assert not any(a["wins"] for a in found[1:])
    assert {a["owner"] for a in found} >= {"Debian package coreutils"}
    os.chmod(desk.home / ".bashrc", 0o444)
    assert "read-only" in desk.well("survey").out


@pytest.mark.needs("bash", "zsh", "fish", "dash", "ksh", "mksh", "tcsh")
@pytest.mark.parametrize("name", ["a}b", "a\nb", "a\\b", "a'b $c"])
def test_a_home_of_any_name_is_served(tmp_path: Path, kelp_feed: str, name: str) -> None:
    home = tmp_path / name
    home.mkdir()
    desk = Desk(home, kelp_feed)
    desk.wants('[shells]\nuse = "all"\n[path]\nfirst = ["~/bin"]\n[variables]\nAT = "{kelp}"\n')
    told = desk.well("provision").out
    assert ("ksh is left out: it does not find its startup file" in told) is any(c in name for c in "\\'$")
    assert desk.well("verify", "--json").json["state"] == "ok"
    if "\\" in name:
        desk.wants('[shells]\nuse = ["ksh"]\n')
        refused = desk.run("provision")
        assert refused.code == 2 and "cannot be set up here" in refused.err
