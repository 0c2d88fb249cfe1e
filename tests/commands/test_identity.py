"""Who a person is to git and to other hosts, with the real git, ssh-keygen and sshd."""

from __future__ import annotations

import contextlib
import os
import shutil
import socket
import subprocess
import time
from collections.abc import Iterator
from pathlib import Path
from types import SimpleNamespace

import pexpect
import pytest

from tests.conftest import PROGRAM, PROGRAMS, Desk
from zesty_anchor.changes.person.git_identity import Identities
from zesty_anchor.changes.person.ssh_key import Keys
from zesty_anchor.demo.home import likeness
from zesty_anchor.manifest.model import Identity
from zesty_anchor.survey import identity
from zesty_anchor.survey.machine import Machine, shells_to_use
from zesty_anchor.system import host
from zesty_anchor.system.host import login_path
from zesty_anchor.system.locations import locate
from zesty_anchor.system.problem import UsageProblem

pytestmark = pytest.mark.needs("git", "ssh", "sshd")
STATE = (".local/state/zesty-anchor", ".cache", "workstation.toml")
WHO = '[identity]\nname = "Tide \\"North\\" Désk"\nemail = "desk@tide.example"\n'
KEY = 'key = "ed25519"\npassphrase = "none"\n'


def test_git_knows_the_person_and_what_was_there_stays(desk: Desk) -> None:
    file = desk.write("# mine\n[user]\n\temail = old@tide.example\n[alias]\n\tst = status\n", ".gitconfig")
    desk.wants(WHO)
    before = likeness(desk.home, STATE)
    assert "+\tname = " in desk.well("preview").out
    desk.well("provision")

    def git(name: str) -> str:
        words = ["git", "config", "--global", name]
        environment = {"HOME": str(desk.home), "PATH": login_path()}
        return subprocess.run(
            words, env=environment, capture_output=True, text=True, check=True
        ).stdout.strip()

    assert (git("user.name"), git("user.email"), git("alias.st")) == (
        'Tide "North" Désk',
        "old@tide.example",
        "status",
    )
    assert desk.well("provision", "--json").json["changed"] == 0
    desk.wants(WHO + "replace = true\n")
    desk.well("provision")
    assert git("user.email") == "desk@tide.example"
    desk.well("undo")
    desk.well("undo")
    assert likeness(desk.home, STATE) == before
    file.write_text("[user\n")
    assert "git cannot read its configuration" in desk.run("provision").err


def test_a_key_is_made_once_and_never_overwritten(desk: Desk) -> None:
    desk.wants(WHO + KEY)
    before = likeness(desk.home, STATE)
    assert desk.run("identity").code == 1
    desk.well("provision")
    private = desk.home / ".ssh/id_ed25519"
    assert (private.parent.stat().st_mode & 0o777, private.stat().st_mode & 0o777) == (0o700, 0o600)
    public = desk.well("identity").out.strip()
    assert public.startswith("ssh-ed25519 ") and public.endswith(" desk@tide.example")
    made = private.read_bytes()
    assert desk.well("provision", "--json").json["changed"] == 0
    assert private.read_bytes() == made
    desk.well("undo")
    assert likeness(desk.home, STATE) == before
    desk.write("mine\n", ".ssh/id_ed25519")
    desk.well("provision")
    desk.well("undo")
    assert private.read_text() == "mine\n"


def test_a_passphrase_is_asked_first_and_guards_the_key(desk: Desk) -> None:
    desk.wants(WHO + 'key = "ed25519"\n')
    answer = desk.run("provision")
    assert answer.code == 5 and 'passphrase = "none"' in answer.err
    environment = {"HOME": str(desk.home), "PATH": login_path(), "LANG": "C.UTF-8", "TERM": "dumb"}
    run = pexpect.spawn(
        str(PROGRAM), ["provision"], env=environment, cwd=str(desk.home), timeout=60, encoding="utf-8"
    )
    for text in ("passphrase for the new key", "Repeat"):
        run.expect(text)
        run.sendline("spring tide")
    run.expect("verified in")
    run.expect(pexpect.EOF)
    key = str(desk.home / ".ssh/id_ed25519")
    for phrase, code in (("spring tide", 0), ("", 255)):
        done = subprocess.run(["ssh-keygen", "-y", "-P", phrase, "-f", key], capture_output=True, check=False)
        assert done.returncode == code
    assert "spring tide" not in "".join(
        p.read_text(errors="replace") for p in (desk.home / ".local/state").rglob("*") if p.is_file()
    )


@contextlib.contextmanager
def sshd(folder: Path, authorized: Path) -> Iterator[tuple[int, str]]:
    """A real sshd on loopback: its port, and the fingerprint of its key."""
    subprocess.run(["ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", folder / "host"], check=True)
    shown = subprocess.run(
        ["ssh-keygen", "-lf", folder / "host.pub"], capture_output=True, text=True, check=True
    )
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    (folder / "config").write_text(
        f"Port {port}\nListenAddress 127.0.0.1\nHostKey {folder}/host\nAuthorizedKeysFile"
        f" {authorized}\nStrictModes no\nUsePAM no\nPermitRootLogin prohibit-password\nForceCommand"
        " true\nPidFile none\n"
    )
    Path("/run/sshd").mkdir(exist_ok=True)
    serving = subprocess.Popen([PROGRAMS["sshd"], "-D", "-f", folder / "config", "-E", folder / "log"])
    try:
        for _ in range(200):
            with socket.socket() as probe:
                if probe.connect_ex(("127.0.0.1", port)) == 0:
                    break
            time.sleep(0.05)
        yield port, shown.stdout.split()[1]
    finally:
        serving.terminate()
        serving.wait(10)


@pytest.mark.skipif(os.geteuid() != 0, reason="sshd is started as root, as it is meant to")
def test_a_host_is_known_by_its_fingerprint_and_takes_the_key(desk: Desk, tmp_path: Path) -> None:
    authorized = tmp_path / "authorized"
    with sshd(tmp_path, authorized) as (port, fingerprint):
        host = f'[[identity.hosts]]\nname = "127.0.0.1"\nport = {port}\nuser = "root"\nfingerprint = "{{}}"\n'
        desk.wants(WHO + KEY + host.format("SHA256:" + "A" * 43))
        refused = desk.run("provision")
        assert refused.code == 1 and fingerprint in refused.err and "stand in between" in refused.err
        assert not (desk.home / ".ssh").exists()
        desk.wants(WHO + KEY + host.format(fingerprint))
        not_yet = desk.run("provision")
        assert not_yet.code == 1 and f"[127.0.0.1]:{port} takes the key of root" in not_yet.out
        assert "Permission denied" in not_yet.out
        shutil.copy(desk.home / ".ssh/id_ed25519.pub", authorized)
        assert desk.well("verify", "--json").json["ok"]
        desk.wants(WHO + KEY + host.format("SHA256:" + "B" * 43))
        assert "known with another key" in desk.run("preview").err


def test_what_waits_for_a_package_is_planned_and_not_refused(
    desk: Desk, monkeypatch: pytest.MonkeyPatch
) -> None:
    """git is to be installed first: its configuration is known only then, and the passphrase is asked for all
    the same.
    """
    monkeypatch.setattr(host, "login_path", lambda superuser=None: "/nowhere")
    locations = locate({"HOME": str(desk.home)})
    wanted = Identity(name="Tide Desk", key="ed25519")
    facts = identity.identity_facts(wanted, locations, {"PATH": "/nowhere"}, ["git"])
    assert facts.waits_for == "git"
    machine = SimpleNamespace(identity=facts, locations=locations)
    kind, asked = Identities(), SimpleNamespace(identity=wanted)
    planned = list(kind.plan(asked, kind.look(asked, machine)))  # type: ignore[arg-type]
    assert [change.pending for change in planned] == [True]
    key = next(iter(Keys().plan(SimpleNamespace(identity=wanted), machine)))  # type: ignore[arg-type]
    assert key.needs == {"package:all"}
    assert [question.kind for question in key.questions] == ["passphrase"]


def test_a_shell_whose_package_is_coming_may_be_missing(desk: Desk) -> None:
    without = Machine(locate({"HOME": str(desk.home)}), {"HOME": str(desk.home), "PATH": login_path()})
    without.shells = tuple(shell for shell in without.shells if shell.name != "fish")
    assert shells_to_use(("bash", "fish"), without, ["fish"]) == ("bash",)
    with pytest.raises(UsageProblem, match="'fish' is not installed") as caught:
        shells_to_use(("bash", "fish"), without, place=lambda: "~/workstation.toml:2")
    assert caught.value.where == "~/workstation.toml:2"


def test_only_a_provisioning_asks_hosts(desk: Desk) -> None:
    """Nobody listens on the host's port: what does not need it works all the same."""
    desk.wants(WHO)
    desk.well("provision")
    desk.wants(
        WHO + '[[identity.hosts]]\nname = "127.0.0.1"\nport = 9\nfingerprint = "SHA256:' + "A" * 43 + '"\n'
    )
    assert "offers no key" in desk.run("preview").err
    for words in (
        ("list", "--offline"),
        ("list",),
        ("locate", "kelp"),
        ("with", "kelp=4.2", "--", "kelp", "--version"),
    ):
        assert desk.well(*words).err == ""
