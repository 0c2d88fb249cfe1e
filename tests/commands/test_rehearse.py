"""A rehearsal: the same as provisioning, and nothing of the real home is touched."""

from __future__ import annotations

import os
import re
import subprocess
import sys
from pathlib import Path

import pytest

from tests.conftest import PROGRAM as PROGRAM_FILE
from tests.conftest import Desk, is_root
from zesty_anchor.demo import home as demo_home
from zesty_anchor.demo.system_copy import PACKAGE, PROGRAM, put_in, take_out, why_not
from zesty_anchor.files.move import move
from zesty_anchor.operations import rehearse
from zesty_anchor.shells.sealed import World, in_copy
from zesty_anchor.system.host import login_path

pytestmark = pytest.mark.needs("bash", "zsh")
OLD = '[[conflicts.remove]]\npath = "~/old-kelp"\n'


def looked(home: Path) -> dict[str, tuple[int, ...]]:
    """The same, but for the time at which SQLite, as root, gives the file its owner again by which it takes a
    transaction back: it does so wherever it opens that (unixOpen in its os_unix.c).
    """
    found: dict[str, tuple[int, ...]] = dict(rehearse.looked(home))
    journal = str(home / ".local/state/zesty-anchor/journal.db-journal")
    if journal in found:
        found[journal] = found[journal][:3]
    return found


def crowded(desk: Desk) -> None:
    """A home with an old install, its lines, and a guard."""
    desk.write("#!/bin/sh\necho kelp 3.1.0\n", "old-kelp/bin/kelp").chmod(0o755)
    desk.write(
        'case $- in *i*) ;; *) return ;; esac\nPATH="$HOME/old-kelp/bin:$PATH"\nexport EDITOR=vi\n', ".bashrc"
    )
    desk.write("path=(~/old-kelp/bin $path)\n", ".zshrc")
    desk.write("x" * 5000, "papers/tide tables")


def done(answer: dict) -> list[tuple[str, str, str]]:  # type: ignore[type-arg]
    return [(change["kind"], change["subject"], change["outcome"]) for change in answer["changes"]]


def test_it_comes_to_the_same_and_the_home_is_as_it_was(desk: Desk) -> None:
    crowded(desk)
    desk.wants(OLD)
    before = looked(desk.home)
    page = desk.home.parent / "page.html"
    shown = desk.well("rehearse", "--report", str(page)).out
    assert looked(desk.home) == before
    assert "restored the copy byte for byte" in shown and "Your home is unchanged" in shown
    assert "verified in" in shown and "run:   ." not in shown
    assert "checks passed" in page.read_text() and "shelf/kelp/4.2.1/bin" in page.read_text()
    rehearsed = desk.well("rehearse", "--json").json
    assert (
        looked(desk.home) == before and rehearsed["ok"] and not rehearsed["back"] and not rehearsed["touched"]
    )
    assert done(desk.well("provision", "--json").json) == done(rehearsed)
    before = looked(desk.home)
    assert "Nothing to do" in desk.well("rehearse").out
    assert looked(desk.home) == before
    desk.wants(OLD, '[runtimes.kelp]\nwant = "3.6"\n')
    assert "kelp 3.6.2" in desk.well("rehearse").out
    desk.wants(OLD)
    assert "checks passed" in desk.well("verify").out


@pytest.mark.needs("setpriv")
@pytest.mark.skipif(
    not is_root(), reason="to be somebody else needs root; all other tests here are an ordinary user's then"
)
def test_an_ordinary_user_rehearses_too(open_room: Path, harbour: str) -> None:
    """In the copy, what belongs to root looks like a stranger's; nobody(65534) would not see that, since
    strangers look like them. A manager of the manifest's own is spoken to all the same.
    """
    home, user = open_room / "home", 4242
    home.mkdir()
    text = (
        '[shells]\nuse = ["bash"]\n[variables]\nGAUGE = "north"\n[feeds.harbour]\nkind = "index"\nurl ='
        f' "{harbour}"\n'
    )
    text += '[managers.fairlead]\nwant = "2.0"\n[runtimes.ebb]\nwant = "5"\nthrough = "fairlead"\n'
    for name in ("fairlead", "ebb"):
        recipe = (Path(demo_home.__file__).parent / f"recipes/{name}.toml").read_text()
        text += f"[recipes.{name}]\n" + re.sub(r"^\[(?=\w)", f"[recipes.{name}.", recipe, flags=re.MULTILINE)
    (home / "workstation.toml").write_text(text)
    for path in (home, home / "workstation.toml"):
        os.chown(path, user, user)
    words = ["setpriv", f"--reuid={user}", f"--regid={user}", "--clear-groups", str(PROGRAM_FILE), "rehearse"]
    environment = {"HOME": str(home), "USER": "tide", "PATH": login_path(), "LANG": "C.UTF-8"}
    done = subprocess.run(
        words, cwd=home, env=environment, capture_output=True, text=True, timeout=60, check=False
    )
    told = done.stdout + done.stderr
    assert "Your home is unchanged" in done.stdout and "ebb 5.1" in done.stdout, told
    assert "never agreed to" not in told
    # Where the tests' own Python is in a folder of root's, nobody else can start it anew, as an installation
    # through a manager does.
    if all(folder.stat().st_mode & 1 for folder in Path(sys.executable).resolve().parents):
        assert done.returncode == 0, told
    home.chmod(0o777)
    refused = subprocess.run(
        words, cwd=home, env=environment, capture_output=True, text=True, timeout=60, check=False
    )
    assert refused.returncode == 2 and "everybody may write into" in refused.stderr


def test_what_goes_wrong_is_told_as_provision_tells_it(desk: Desk) -> None:
    crowded(desk)
    desk.wants('[[checks]]\nname = "kelp is new"\nrun = "kelp --version"\nexpect = "kelp 9.*"\n')
    before = looked(desk.home)
    answer = desk.run("rehearse")
    assert answer.code == 1 and "kelp is new" in answer.out and "Your home is unchanged" in answer.out
    desk.wants("", '[runtimes.kelp]\nwant = "9"\n')
    answer = desk.run("rehearse")
    assert answer.code == 2 and "workstation.toml" in answer.err and "zesty-anchor list kelp" in answer.err
    desk.wants()
    assert set(looked(desk.home)) == set(before)
    desk.environment["XDG_DATA_HOME"] = str(desk.home.parent / "elsewhere")
    answer = desk.run("rehearse")
    assert answer.code == 2 and "elsewhere" in answer.err and "only what is in the home" in answer.err


def test_a_stranger_s_manifest_needs_the_same_yes(desk: Desk) -> None:
    desk.wants()
    strange = desk.home / "given/workstation.toml"
    strange.parent.mkdir()
    desk.manifest.rename(strange)
    answer = desk.run("rehearse", "-m", str(strange))
    assert answer.code == 5 and "--trust" in answer.err
    desk.well("rehearse", "-m", str(strange), "--trust", str(strange))
    assert (
        desk.run("provision", "-m", str(strange)).code == 5
    )  # a yes for the rehearsal is none for the real thing


@pytest.mark.system
def test_what_needs_privilege_is_only_told_and_nothing_outside_can_be_written(desk: Desk) -> None:
    if why_not():
        pytest.skip(why_not())
    crowded(desk)
    desk.wants(f'{OLD}[[conflicts.remove]]\npackage = "{PACKAGE}"\n[[checks]]\nname = "outside"\nrun = "(echo x >/opt/tide-desk) '
               '2>/dev/null && echo written || echo refused"\nexpect = "refused"\n')  # fmt: skip
    assert put_in()
    try:
        before = looked(desk.home)
        shown = desk.well("rehearse").out
        assert "Needs privilege, so it was only shown" in shown and PACKAGE in shown
        assert PROGRAM.exists() and looked(desk.home) == before and not Path("/opt/tide-desk").exists()
    finally:
        take_out()


def test_a_folder_that_comes_from_a_lower_layer_is_moved_all_the_same(tmp_path: Path) -> None:
    """As in a container: overlayfs renames none."""
    (tmp_path / "old/bin").mkdir(parents=True)
    (tmp_path / "old/bin/kelp").write_text("x")

    def task(home: Path) -> tuple[bool, bool]:
        move(home / "old", home / "attic")
        return os.path.lexists(home / "old"), (home / "attic/bin/kelp").is_file()

    assert in_copy(World(tmp_path), task)[0] == (False, True)
    assert (tmp_path / "old/bin/kelp").read_text() == "x"
