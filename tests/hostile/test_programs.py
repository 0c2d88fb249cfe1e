"""Which program runs: never one that a version, the current folder, or somebody else's variable put before
the system's.
"""

from __future__ import annotations

import os
import subprocess
from collections.abc import Callable
from pathlib import Path

import pytest

from tests.conftest import PROGRAM, Desk, is_root, kelp
from tests.hostile.measured import note
from zesty_anchor.demo.wares import pack
from zesty_anchor.system import trusted
from zesty_anchor.system.host import find_program, login_path, program_path
from zesty_anchor.system.privilege import Access, Hands
from zesty_anchor.system.trusted import is_roots, trusted_environment, trusted_program, trusted_words

RUNS = b'#!/bin/sh\necho "$0 ran" >>"$HOME/it-ran"\nexit 1\n'
SYSTEMS = ("sudo", "doas", "apt-get", "apt-cache", "dpkg-query", "bash", "zsh", "git", "ls", "env", "sh")


def planted(folder: Path, names: tuple[str, ...] = SYSTEMS) -> Path:
    folder.mkdir(parents=True, exist_ok=True)
    for name in names:
        (folder / name).write_bytes(RUNS)
        (folder / name).chmod(0o755)
    return folder


@pytest.mark.parametrize(
    "how", ["the shelf", "the current folder", "an empty entry", "an entry of the person's"]
)
def test_what_only_looks_starts_nothing_of(desk: Desk, how: str) -> None:
    desk.wants('[prerequisites]\npackages = ["coreutils"]\n')
    desk.well("provision")
    folder = planted({"the shelf": desk.shelf / "kelp/4.2.1/bin"}.get(how, desk.home / "here"))
    first = {"the current folder": ".", "an empty entry": ""}.get(how, str(folder))
    desk.environment["PATH"] = f"{first}:{login_path()}"
    for words in (("survey",), ("trace", "kelp"), ("list",), ("preview",), ("verify",), ("history",)):
        answer = desk.run(*words, cwd=desk.home / "here" if how != "the shelf" else desk.home)
        assert answer.code in (0, 3, 4, 6), answer.out + answer.err
    assert not (desk.home / "it-ran").exists(), (desk.home / "it-ran").read_text()
    note(f"program: {how}")


def test_a_program_is_found_on_the_systems_path_first(tmp_path: Path) -> None:
    mine = planted(tmp_path / "bin", ("git", "tides"))
    shelf = planted(tmp_path / ".local/share/zesty-anchor/shelf/kelp/4/bin", ("tides", "only-here"))
    environ = {"HOME": str(tmp_path), "PATH": f":.:{shelf}:bin:{mine}:/usr/bin"}
    assert find_program("git", environ) != str(mine / "git")
    assert find_program("tides", environ) == str(mine / "tides")
    assert find_program("only-here", environ) is None
    assert all(entry.startswith("/") for entry in program_path(environ).split(":"))


@pytest.mark.sees_system
@pytest.mark.parametrize("name", ["sudo", "git", "ls"])
def test_a_version_that_brings_what_rules_a_machine_is_refused(
    desk: Desk, offer: Callable[..., str], name: str
) -> None:
    files = {**kelp("4.2.1"), f"bin/{name}": (RUNS, 0o755)}
    desk.wants(url=offer(pack("kelp-4.2.1", files, "tar.gz")))
    answer = desk.run("provision")
    if find_program(name, {"PATH": f"{login_path()}:/usr/sbin"}) is None:
        assert answer.code == 0, "the system has none"
        return
    assert answer.code == 1
    assert f"contains {name}, which would shadow the system's own" in answer.out + answer.err
    assert not (desk.shelf / "kelp/4.2.1").exists() and not (desk.home / "it-ran").exists()
    desk.wants(
        runtimes=f'[runtimes.kelp]\nwant = "lts"\nreplaces = ["{name}"]\n',
        url=desk.manifest.read_text().split('url = "')[1].split('"')[0],
    )
    allowed = desk.run("provision")
    assert (desk.shelf / f"kelp/4.2.1/bin/{name}").exists(), allowed.out + allowed.err
    assert f"{name} now resolves to" in allowed.out
    note(f"program: a version that brings {name}")


def test_what_resolves_to_something_else_is_told_at_the_end(desk: Desk) -> None:
    desk.wants()
    desk.well("provision")
    answer = desk.well("switch", "--default", "kelp", "3.6")
    assert "kelp now resolves to ~/.local/share/zesty-anchor/shelf/kelp/3.6.2/bin" in answer.out + answer.err


@pytest.mark.skipif(not is_root(), reason="what root alone can change, root alone can make")
def test_with_privilege_only_what_root_alone_can_change(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    theirs = planted(tmp_path / "bin", ("apt-get", "sudo", "env"))
    theirs.chmod(0o777)
    monkeypatch.setattr(trusted, "login_path", lambda superuser=None: f"{theirs}:/usr/bin:/bin")
    assert not is_roots(str(theirs / "apt-get"))
    for name in ("apt-get", "env", "sh"):
        found = trusted_program(name)
        assert found is not None and not found.startswith(str(tmp_path)), name
    assert trusted_program(str(theirs / "apt-get")) is None
    assert trusted_words(("env", "A=b", "apt-get", "install", "x")) == (
        trusted_program("env"), "A=b", trusted_program("apt-get"), "install", "x",
    )  # fmt: skip
    assert trusted_words(("env", "A=b", str(theirs / "sudo"))) is None
    said: list[str] = []
    assert Hands(Access("root"), lambda text: None).run((str(theirs / "sudo"), "x"), said.append) == 127
    assert "is not run as root, because other users can change it" in said[0]
    assert str(theirs) not in trusted_environment({})["PATH"]
    note("program: in a folder that others may write")


OF_OTHERS = {
    "PYTHONPATH": "/tmp/x", "PYTHONSTARTUP": "/tmp/x.py", "PYTHONHOME": "/tmp", "PYTHONINSPECT": "1",
    "PYTHONOPTIMIZE": "2",
    "LD_PRELOAD": "/tmp/x.so", "LD_LIBRARY_PATH": "/tmp", "LD_AUDIT": "/tmp/x.so",
    "SSL_CERT_FILE": "/tmp/x.pem",
    "SSL_CERT_DIR": "/tmp", "BASH_ENV": "/tmp/x.sh", "ENV": "/tmp/x.sh", "APT_CONFIG": "/tmp/x.conf",
    "IFS": "x", "PERL5LIB": "/tmp",
    "GIT_SSH": "/tmp/x", "DPKG_ROOT": "/tmp", "TMPDIR": "/tmp/theirs", "HOME": "/tmp/theirs",
    "CDPATH": "/tmp",
}  # fmt: skip


@pytest.mark.parametrize("name", OF_OTHERS)
def test_no_option_of_others_reaches_a_privileged_step(
    name: str, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    monkeypatch.setenv(name, OF_OTHERS[name])
    monkeypatch.setenv("PATH", f"{tmp_path}:{os.environ['PATH']}")
    monkeypatch.setenv("http_proxy", "http://127.0.0.1:1/")
    said: list[str] = []
    assert Hands(Access("root"), lambda text: None).run(("sh", "-c", "env"), said.append) == 0
    given = dict(line.partition("=")[::2] for line in said)
    assert given.get(name) != OF_OTHERS[name]
    assert given["http_proxy"] == "http://127.0.0.1:1/", "how it reaches the network stays"
    assert str(tmp_path) not in given["PATH"]
    # The same behind sudo: it is given this environment, whatever its own policy keeps of it.
    sudo = tmp_path / "sudo"
    sudo.write_text('#!/bin/sh\nshift\nexec "$@"\n')
    sudo.chmod(0o755)
    said.clear()
    assert Hands(Access("sudo", str(sudo)), lambda text: None).run(("sh", "-c", "env"), said.append) == 0
    assert dict(line.partition("=")[::2] for line in said).get(name) != OF_OTHERS[name]
    note(f"program: {name}")


@pytest.mark.needs("bash")
def test_verify_tells_an_empty_entry_of_the_persons_own(desk: Desk) -> None:
    desk.wants('[shells]\nuse = ["bash"]\n')
    desk.write('alias t=ls\nPATH=":$PATH"\n', ".bashrc")
    assert desk.run("provision").code == 0, "it was so before, and no run is taken back for it"
    answer = desk.run("verify")
    assert answer.code == 0 and "Failed before provisioning as well" in answer.out
    assert "every PATH entry is absolute" in answer.out and "~/.bashrc:2" in answer.out
    desk.write('alias t=ls\nPATH="$PATH:tools"\n', ".bashrc")
    desk.run("provision")
    assert "a relative entry, tools" in desk.run("verify", "-v").out
    note("program: an empty entry of PATH")


@pytest.mark.skipif(not is_root(), reason="only root can act as another user")
def test_a_strangers_pin_that_says_system_leaves_path_whole(desk: Desk, open_room: Path) -> None:
    """The folder's `ls` is not run, in bash, when a pin of another user leaves the only runtime to the
    system.
    """
    desk.wants()
    desk.well("provision")
    folder = planted(open_room / "project", ("ls",))
    (folder / ".kelp-version").write_text("system\n")
    os.chown(folder / ".kelp-version", 4242, 4242)
    done = subprocess.run(
        ["bash", "-i"], input=f"cd {folder}\nls >/dev/null\nprintf '%s\\n' \"$PATH\"\n", cwd=desk.home,
        capture_output=True, text=True,
        env={"HOME": str(desk.home), "PATH": f"{login_path()}:{PROGRAM.parent}", "TERM": "dumb",
        "LANG": "C.UTF-8"}, check=False,
    )  # fmt: skip
    assert all(entry.startswith("/") for entry in done.stdout.strip().split("\n")[-1].split(":")), done.stdout
    assert not (desk.home / "it-ran").exists()
    note("program: a stranger's pin")
