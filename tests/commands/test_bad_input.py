"""What goes wrong: each has its error and exit code, and the machine is as it was."""

from __future__ import annotations

import hashlib
import json
import subprocess
from collections.abc import Callable
from pathlib import Path

import pytest

from tests.conftest import Desk, is_root, kelp
from tests.shelf.test_unpack import BAD_TARS, encrypted, tar_of
from zesty_anchor.demo.wares import pack

GOOD = pack("kelp-4.2.1", kelp("4.2.1"), "tar.gz")

pytestmark = pytest.mark.needs("bash", "zsh")


def refused(desk: Desk, code: int, *words: str, command: str = "provision") -> str:
    """Run, expect the exit code and an error with advice, and nothing changed."""
    before = desk.likeness()
    answer = desk.run(command)
    said = answer.err + answer.out
    assert answer.code == code, said
    for word in (*words, "next:"):
        assert word in said, said
    assert "Traceback" not in said
    assert desk.likeness() == before
    return said


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("titel = 1\n", ["workstation.toml:1", "'titel'", "'title'"]),
        ("[runtimes.kelp]\nwant = 4\n", ["workstation.toml:2", "text is expected"]),
        ('[runtimes.kelp\nwant = "4"\n', ["workstation.toml:1", "write: [runtimes.kelp]"]),
        ('[runtimes.kelp]\nwant = "kelp@4"\n', ["workstation.toml:2", 'write only the version, "4"']),
        ('[runtimes.nodee]\nwant = "4"\n', ["no recipe", "'node'"]),
        ('[shells]\nuse = ["bash", "csh"]\n', ['"csh"', '"bash", "zsh"', "workstation.toml:2"]),
        ('[runtimes.kelp]\nwant = "4"\n[recipes.kelp]\ncommands = ["kelp"]\n', ["no feed"]),
    ],
)
def test_a_manifest_that_is_wrong(desk: Desk, text: str, words: list[str]) -> None:
    desk.write(text)
    refused(desk, 2, *words)


def test_no_manifest_and_a_wrong_command(desk: Desk) -> None:
    refused(desk, 2, "no workstation.toml found")
    assert desk.run("provision", "-m", "none.toml").code == 2
    assert "did you mean 'provision'?" in desk.run("provison").err
    assert desk.run("verify", "--nonsense").code == 2


def test_a_version_that_does_not_exist(desk: Desk) -> None:
    desk.wants(runtimes='[runtimes.kelp]\nwant = "4.3"\n')
    refused(desk, 2, "no version of kelp matches '4.3'", "4.2.1", "zesty-anchor list kelp")
    desk.wants(runtimes='[runtimes.kelp]\nwant = "5.1"\n')
    refused(desk, 2, "5.1.0-rc.1")


def test_a_feed_that_is_down(desk: Desk) -> None:
    desk.wants(url="http://127.0.0.1:9/")
    refused(desk, 1, "the feed 'harbour' cannot be reached", "refused")


def test_a_wrong_digest(desk: Desk, offer: Callable[..., str]) -> None:
    desk.wants(url=offer(GOOD, digest="0" * 64))
    refused(desk, 1, "the digest differs", "expected sha256:0000")


def test_a_file_that_is_gone(desk: Desk, offer: Callable[..., str], tmp_path: Path) -> None:
    desk.wants(url=offer(GOOD))
    (tmp_path / "feed0/kelp-4.2.1.tgz").unlink()
    refused(desk, 1, "answers 404", "the feed lists it, and does not hold it", "zesty-anchor list kelp")


@pytest.mark.parametrize("name", BAD_TARS)
def test_a_bad_archive(desk: Desk, offer: Callable[..., str], name: str) -> None:
    members, why = BAD_TARS[name]
    desk.wants(url=offer(tar_of(*members)))
    refused(desk, 1, "the archive is refused", why, "kelp 4.2.1")


def test_no_archive_at_all(desk: Desk, offer: Callable[..., str]) -> None:
    desk.wants(url=offer(b"please log in"))
    refused(desk, 1, "no archive", "please log in")
    desk.wants(url=offer(b"<html><title>please log in</title></html>"))
    refused(desk, 1, "a web page ('please log in')", "log in, and run the same command again")
    desk.wants(url=offer(pack("kelp", {"bin/other": (b"", 0o755)}, "tar.gz")))
    refused(desk, 1, "no command 'kelp'")


def test_a_read_only_startup_file(desk: Desk) -> None:
    desk.wants()
    desk.write("mine\n", ".bashrc").chmod(0o444)
    refused(desk, 1, ".bashrc is read-only", "chmod u+w")


def test_a_broken_startup_file(desk: Desk) -> None:
    """The shell reads the lines above the mistake: ours stands there. What is broken is the person's."""
    desk.wants()
    desk.write("alias a=b\nif then\n", ".bashrc")
    said = desk.run("provision")
    assert said.code == 0, said.out
    assert "~/.bashrc has a syntax error, so our line is at the top" in said.out
    ours, *rest = (desk.home / ".bashrc").read_text().splitlines()
    assert "zesty-anchor" in ours and rest == ["alias a=b", "if then"]
    assert desk.shell("bash", "kelp --version", "-i").strip() == "kelp 4.2.1"
    desk.write(f"{ours}\nalias a=b\n", ".bashrc")
    assert "Nothing to do" in desk.well("provision").out, "it may stay there"
    desk.well("undo")
    assert (desk.home / ".bashrc").read_text() == "alias a=b\n"


def test_a_broken_startup_file_with_a_guard(desk: Desk) -> None:
    """As Debian's: neither while it is broken nor once it is fixed is anything left to do."""
    guard = "# of the desk\ncase $- in *i*) ;; *) return ;; esac\n"
    desk.wants('[shells]\nuse = ["bash"]\n')
    desk.write(guard + "if then\n", ".bashrc")
    desk.well("provision")
    ours, *rest = (desk.home / ".bashrc").read_text().splitlines(keepends=True)
    assert "zesty-anchor" in ours and "".join(rest) == guard + "if then\n"
    assert "Nothing to do" in desk.well("provision").out
    assert desk.run("verify").code == 0
    desk.write(ours + guard, ".bashrc")
    assert "Nothing to do" in desk.well("provision").out
    for options in (("-i",), ("-l",)):
        assert desk.shell("bash", "kelp --version", *options).strip() == "kelp 4.2.1"


@pytest.mark.parametrize("path", ["{home}", "{home}/..", "~/.local/share/zesty-anchor"])
def test_a_removal_that_would_take_too_much(desk: Desk, path: str) -> None:
    desk.write("", ".local/share/zesty-anchor/x")
    desk.wants(f'[[conflicts.remove]]\npath = "{path.format(home=desk.home)}"\n')
    refused(desk, 2, "so it is not removed")


def test_the_place_on_the_shelf_is_taken(desk: Desk) -> None:
    desk.wants()
    desk.write("mine", ".local/share/zesty-anchor/shelf/kelp/4.2.1/notes")
    refused(desk, 1, "taken by something")


@pytest.mark.system
@pytest.mark.skipif(not is_root(), reason="mounting a small disk needs root")
def test_a_full_disk(desk: Desk, offer: Callable[..., str], tmp_path: Path) -> None:
    import os

    small = desk.home / ".local"
    small.mkdir()
    subprocess.run(["mount", "-t", "tmpfs", "-o", "size=600k", "tmpfs", str(small)], check=True)
    try:
        desk.wants(url=offer(pack("kelp", {**kelp("4.2.1"), "big": (os.urandom(900_000), 0o644)}, "tar.gz")))
        refused(desk, 1, "the disk is full")
    finally:
        subprocess.run(["umount", str(small)], check=True)


def test_questions_without_a_terminal(desk: Desk) -> None:
    answer = desk.run("dismantle")
    assert answer.code == 5
    assert "--yes" in answer.err


DAMAGED = {
    "a zst with an error in it": (lambda: damaged(pack("coral", {"bin/coral": (b"x" * 9000, 0o755)},
    "tar.zst")), "cannot be unpacked"),
    "an encrypted zip": (lambda: encrypted(pack("coral", {"bin/coral": (b"x", 0o755)}, "zip")),
    "is encrypted"),
}  # fmt: skip


def damaged(content: bytes) -> bytes:
    return content[:20] + bytes(byte ^ 0xFF for byte in content[20:40]) + content[40:]


@pytest.mark.parametrize("name", DAMAGED)
def test_one_bad_archive_ends_its_own_change_alone(
    desk: Desk, make_feed: Callable[..., str], name: str
) -> None:
    make, why = DAMAGED[name]
    content = make()
    file = {"platform": "any", "url": "coral.bin", "sha256": hashlib.sha256(content).hexdigest()}
    document = {
        "format": "zesty-anchor-index/1",
        "runtime": "coral",
        "releases": [{"version": "1.0", "files": [file]}],
    }
    url = make_feed({"coral.bin": content, "coral.json": json.dumps(document).encode()})
    desk.wants(
        f'[feeds.other]\nkind = "index"\nurl = "{url}"\n[recipes.coral]\ncommands = ["coral"]\n',
        '[runtimes.kelp]\nwant = "lts"\nfeed = "harbour"\n[runtimes.coral]\nwant = "1.0"\nfeed = "other"\n',
    )
    answer = desk.run("provision")
    assert answer.code == 1 and why in answer.out and "unexpected" not in answer.out + answer.err
    assert (desk.shelf / "kelp/4.2.1/bin/kelp").exists() and not (desk.shelf / "coral").exists()
    assert desk.shell("bash", "kelp --version", "-i").strip() == "kelp 4.2.1"
