"""Questions and privilege, as the built program meets them."""

from __future__ import annotations

import hashlib
import json
import os
import pkgutil
import re
import sys
from collections.abc import Callable
from pathlib import Path

import pexpect
import pytest

import zesty_anchor
from tests.conftest import PROGRAM, Desk, is_root, kelp
from zesty_anchor.demo.wares import pack
from zesty_anchor.system.host import login_path
from zesty_anchor.system.with_sudo import way_to_root

pytestmark = pytest.mark.needs("bash", "zsh")
GOOD = pack("kelp-4.2.1", kelp("4.2.1"), "tar.gz")


@pytest.fixture
def licensed(make_feed: Callable[..., str]) -> str:
    """A feed whose kelp has a licence, and no digest."""
    release = {
        "version": "4.2.1",
        "channels": ["lts"],
        "licence": "Harbour Licence 2",
        "files": [{"platform": "any", "url": "k.tgz"}],
    }
    document = {"format": "zesty-anchor-index/1", "runtime": "kelp", "releases": [release]}
    return make_feed({"k.tgz": GOOD, "kelp.json": json.dumps(document).encode()})


def test_all_open_questions_at_once_with_their_keys(desk: Desk, licensed: str) -> None:
    desk.wants(url=licensed)
    before = desk.likeness()
    for options in ([], ["--yes"]):
        answer = desk.run("provision", *options)
        assert answer.code == 5
        assert '[runtimes.kelp] licence = "accepted"' in answer.err
        assert '[runtimes.kelp] unpinned = "accepted"' in answer.err
    assert desk.likeness() == before
    assert {q["kind"] for q in desk.well("preview", "--json").json["questions"]} == {"licence", "digest"}


def test_the_manifest_answers_for_good(desk: Desk, licensed: str) -> None:
    desk.wants(
        url=licensed, runtimes='[runtimes.kelp]\nwant = "lts"\nlicence = "accepted"\nunpinned = "accepted"\n'
    )
    desk.well("provision")
    receipt = json.loads((desk.shelf / "kelp/4.2.1/.zesty-anchor.json").read_text())
    assert receipt["digest"] == "sha256:" + hashlib.sha256(GOOD).hexdigest()


@pytest.mark.parametrize("answers", ["yy", "yn"])
def test_a_person_answers_at_the_terminal(desk: Desk, licensed: str, answers: str) -> None:
    desk.wants(url=licensed)
    before = desk.likeness()
    environment = {"HOME": str(desk.home), "PATH": login_path(), "LANG": "C.UTF-8", "TERM": "dumb"}
    child = pexpect.spawn(
        str(PROGRAM), ["provision"], env=environment, cwd=str(desk.home), timeout=60, encoding="utf-8"
    )
    for letter in answers:
        child.expect(r"\[y/N\]")
        child.sendline(letter)
    child.expect(pexpect.EOF)
    child.close()
    if answers == "yy":
        assert child.exitstatus == 0
        assert "no more questions" in child.before
    else:
        assert child.exitstatus == 5
        assert desk.likeness() == before


@pytest.mark.skipif(not is_root(), reason="this is about root")
def test_as_root_nothing_of_a_feed_runs_unasked(desk: Desk) -> None:
    desk.wants()
    desk.manifest.write_text(desk.manifest.read_text().replace('as-root = "allowed"\n', ""))
    answer = desk.run("provision", "--yes")
    assert answer.code == 5
    assert 'as-root = "allowed"' in answer.err
    assert not desk.shelf.exists()


@pytest.fixture
def open_desk(open_room: Path, kelp_feed: str) -> Desk:
    """A home that somebody else may work in."""
    (open_room / "home").mkdir()
    return Desk(open_room / "home", kelp_feed)


def as_somebody_else(desk: Desk) -> tuple[str, int]:
    """What provision says to a user with no sudo on PATH, and its exit status."""
    empty = desk.home.parent / "bin"
    empty.mkdir()
    for name in ("sh", "bash", "zsh", "apt-cache", "apt-get", "dpkg-query"):
        (empty / name).symlink_to(f"/usr/bin/{name}")
    for path in (desk.home, *desk.home.rglob("*")):
        os.chown(path, 4242, 4242)
    script = (
        "import os, sys; os.setgroups([]); os.setresgid(4242, 4242, 4242); os.setresuid(4242, 4242,"
        f" 4242)\nos.environ.clear(); os.environ.update(HOME={str(desk.home)!r}, PATH={str(empty)!r},"
        " LANG='C.UTF-8')\nfrom zesty_anchor.commands import run; sys.argv = ['zesty-anchor', 'provision'];"
        " os.chdir(os.environ['HOME']); run()"
    )
    # The environment that the program is installed in may be closed to others: all of it is read before.
    modules = [
        module.name
        for module in pkgutil.walk_packages(zesty_anchor.__path__, "zesty_anchor.")
        if module.name != "zesty_anchor.__main__"
    ]
    more = [
        "graphlib",
        "difflib",
        "shlex",
        "sysconfig",
        "concurrent.futures.thread",
        "shutil",
        "json",
        "tempfile",
        "pexpect",
        "requests",
        "tree_sitter_bash",
        "tree_sitter_toml",
        "tomlkit",
        "rich.progress",
        "rich.text",
    ]
    child = pexpect.spawn(
        sys.executable,
        ["-c", f"import {', '.join([*modules, *more])}\n{script}"],
        timeout=90,
        encoding="utf-8",
    )
    child.expect(pexpect.EOF)
    child.close()
    assert child.exitstatus is not None
    return re.sub(r"\x1b\[[0-9;?]*[A-Za-z]", "", child.before), child.exitstatus


@pytest.mark.needs("setpriv")
@pytest.mark.skipif(not is_root(), reason="becoming somebody else needs root")
@pytest.mark.skipif(not os.access("/var/lib/dpkg/status", os.R_OK), reason="this system has no dpkg")
def test_without_any_way_to_privilege_the_rest_is_done(open_desk: Desk) -> None:
    """No sudo on PATH: what an administrator must type is printed, and all that does not need it is done."""
    desk = open_desk
    desk.wants('[prerequisites]\npackages.debian = ["cowsay"]\n')
    said, status = as_somebody_else(desk)
    assert "An administrator must still run" in said, said
    assert re.search(rf"^ +{way_to_root()} *apt-get install cowsay\r?$", said, re.MULTILINE), (
        "typed as root types it"
    )
    assert "what was done is verified" in said
    assert status == 1, "the machine is not yet as the manifest says"
    assert (desk.shelf / "kelp/4.2.1/bin/kelp").exists()


@pytest.mark.needs("setpriv")
@pytest.mark.skipif(not is_root(), reason="becoming somebody else needs root")
@pytest.mark.skipif(not os.access("/var/lib/dpkg/status", os.R_OK), reason="this system has no dpkg")
def test_without_privilege_a_folder_goes_and_a_package_is_told_once(open_desk: Desk) -> None:
    desk = open_desk
    desk.write("#!/bin/sh\n", "old-kelp/bin/kelp").chmod(0o755)
    desk.wants('[[conflicts.remove]]\npath = "~/old-kelp"\n[[conflicts.remove]]\npackage = "zsh"\n')
    said, status = as_somebody_else(desk)
    assert status == 1, said
    assert said.count("apt-get purge zsh") == 1, said
    assert not (desk.home / "old-kelp").exists()
    assert "what was done is verified" in said


@pytest.mark.skipif(not is_root(), reason="this is about root")
def test_an_answer_that_is_none_is_asked_for_again_and_ctrl_c_ends_it(desk: Desk) -> None:
    desk.wants()
    text = desk.manifest.read_text().replace('as-root = "allowed"', "#")
    desk.manifest.write_text(text)
    before = desk.likeness()
    environment = {"HOME": str(desk.home), "PATH": login_path(), "LANG": "C.UTF-8", "TERM": "dumb"}
    for keys in (("maybe", "no"), ("\x03",)):
        child = pexpect.spawn(
            str(PROGRAM), ["provision"], env=environment, cwd=str(desk.home), timeout=60, encoding="utf-8"
        )
        child.delaybeforesend = None
        for number, each in enumerate(keys):
            child.expect_exact("[y/N]: ")
            child.send(each if each == "\x03" else f"{each}\n")
            if number + 1 < len(keys):
                child.expect_exact("invalid input")
        child.expect(pexpect.EOF)
        child.close()
        assert child.exitstatus == (130 if keys == ("\x03",) else 5)
        assert desk.likeness() == before
