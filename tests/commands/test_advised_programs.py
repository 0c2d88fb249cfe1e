"""Commands of other programs that a message advises: each is run as it is printed, and helps."""

from __future__ import annotations

import ast
import os
import re
import shutil
import subprocess
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

from tests.conftest import Answer, Desk
from zesty_anchor.demo.archive import deb
from zesty_anchor.system import with_sudo as rights
from zesty_anchor.system.apt import Apt, apt_problem
from zesty_anchor.system.namespaces import way_to_allow
from zesty_anchor.system.problem import Problem

ROOT = Path(__file__).parents[2]
Ordinary = Callable[..., Answer]
COMMAND = re.compile(
    r"\b(chmod|chown|mount|umount|sysctl|apt-get|apt-mark|dpkg|dnf|zypper|pacman|systemctl|git|gpg|sudo|doas|rm|kill)"
    r" (?!it |the |that )(-?[a-zA-Z+-]+|@)(?=[ ;,)@]|$)"
)
TRIED = {
    "chmod u+w": "a startup file, and the folder of one",
    "chmod u+rw": "the journal, and its folder",
    "chmod go-w": "a PATH entry, our folder, the folder above it",
    "chown @": "a startup file",
    "chown -R": "our folder",
    "mount -t": "no terminals",
    "dpkg --configure": "a package that dpkg left unfinished",
    "apt-get -f": "a package that dpkg left unfinished",
    "apt-get purge": "a package that dpkg left unfinished",
    "apt-mark unhold": "a package on hold",
}
"""What a test here runs as it is printed, by the case that it is run in."""
IN_BASES = {"gpg --armor", "git commit"}
"""What test_signed_bases.py runs as it is printed."""
CLOSES = {"sysctl -w"}
"""It would open the kernel of this machine to all: which switch it names is looked at in a copy of the settings."""
LOOKS = {"apt-mark showhold", "apt-get clean", "apt-get update", "git ls-remote"}
"""What changes nothing by which a command of ours could come to another end in a test without network."""


def texts() -> Iterator[str]:
    """Every text of the source that is advice, or goes into it; what stands in it for a value is an @."""
    for file in (ROOT / "src/zesty_anchor").rglob("*.py"):
        tree = ast.parse(file.read_text())
        calls = [node for node in ast.walk(tree) if isinstance(node, ast.Call)]
        advice: list[ast.AST] = [k.value for c in calls for k in c.keywords if k.arg in ("advice", "fix")]
        for call in calls:
            name = call.func.id if isinstance(call.func, ast.Name) else ""
            advice += call.args if name in ("with_sudo", "Trouble") else []
        for part in advice if file.name != "refusal.py" else [tree]:
            for node in ast.walk(part):
                if isinstance(node, ast.JoinedStr):
                    yield "".join(str(v.value) if isinstance(v, ast.Constant) else "@" for v in node.values)
                elif isinstance(node, ast.Constant) and isinstance(node.value, str):
                    yield node.value


def test_each_command_of_another_program_is_known_here() -> None:
    found = {" ".join(each) for text in texts() for each in COMMAND.findall(text)}
    assert found == set(TRIED) | LOOKS | CLOSES | IN_BASES


def advised(answer: Answer, pattern: str) -> str:
    """The command in the advice of an error."""
    found = re.search(rf"(?:next:|: ).*?((?:sudo )?\b{pattern})", answer.err + answer.out)
    assert found is not None, answer.err + answer.out
    return found[1].strip()


@pytest.mark.needs("bash", "setpriv")
@pytest.mark.parametrize("name", ["a startup file", "a journal", "a journal's folder"])
def test_what_may_not_be_written(desk: Desk, ordinary: Ordinary, name: str) -> None:
    desk.write("alias t=ls\n", ".bashrc")
    desk.wants('[shells]\nuse = ["bash"]\n')
    state = desk.home / ".local/state/zesty-anchor"
    path, mode, words = {
        "a startup file": (desk.home / ".bashrc", 0o444, "provision"),
        "a journal": (state / "journal.db", 0o444, "undo"),
        "a journal's folder": (state, 0o000, "undo"),
    }[name]
    if words == "undo":
        assert ordinary("provision").code == 0
    path.chmod(mode)
    refused = ordinary(words)
    assert refused.code == 1, refused.out
    line = advised(refused, r"chmod u\+\w+ [^\s,;)]+")
    assert ordinary("-c", line, program="/bin/sh").code == 0
    done = ordinary(words)
    assert done.code == 0, done.out + done.err


@pytest.mark.needs("bash", "setpriv")
@pytest.mark.skipif(os.geteuid() != 0, reason="to give a file to another user needs root")
@pytest.mark.parametrize("name", ["a startup file", "our folder"])
def test_what_belongs_to_another_user(desk: Desk, ordinary: Ordinary, name: str) -> None:
    desk.write("alias t=ls\n", ".bashrc")
    desk.wants('[shells]\nuse = ["bash"]\n')
    assert ordinary("preview").code in (0, 5), "all is theirs now"
    path = desk.home / (".bashrc" if name == "a startup file" else ".local/share/zesty-anchor")
    path.mkdir(parents=True, exist_ok=True) if name == "our folder" else None
    os.lchown(path, 0, 0)
    refused = ordinary("provision", keeps=(path,))
    assert refused.code in (1, 2), refused.out
    subprocess.run(["sh", "-c", advised(refused, r"chown [^;()]+")], check=True)
    done = ordinary("provision", keeps=(desk.home,))
    assert done.code == 0, done.out + done.err


@pytest.mark.needs("bash", "setpriv")
@pytest.mark.parametrize("name", ["our folder", "the folder above it"])
def test_what_others_may_write(desk: Desk, ordinary: Ordinary, name: str) -> None:
    desk.wants('[shells]\nuse = ["bash"]\n')
    path = desk.home / ".local/share"
    path = path / "zesty-anchor" if name == "our folder" else path
    path.mkdir(parents=True)
    path.chmod(0o777)
    refused = ordinary("provision")
    assert refused.code == 2, refused.out
    assert ordinary("-c", advised(refused, r"chmod go-w [^\s;]+"), program="/bin/sh").code == 0
    assert ordinary("provision").code == 0


@pytest.mark.needs("bash", "setpriv")
def test_a_path_entry_that_others_may_write(desk: Desk, ordinary: Ordinary) -> None:
    folder = desk.home / "gauge bin"
    folder.mkdir()
    folder.chmod(0o777)
    desk.write(f'PATH="$PATH:{folder}"\n', ".bashrc")
    seen = ordinary("survey")
    line = advised(seen, r"chmod go-w '[^']+'")
    assert ordinary("-c", line, program="/bin/sh").code == 0
    assert "chmod" not in ordinary("survey").out


@pytest.mark.system
@pytest.mark.needs("bash", "unshare")
@pytest.mark.skipif(os.geteuid() != 0, reason="only root may mount")
def test_a_system_without_terminals(desk: Desk) -> None:
    """In mounts of its own, of which none has terminals (devpts)."""
    desk.wants('[shells]\nuse = ["bash"]\n')
    desk.well("provision")
    inner = 'mount -t tmpfs none /dev/pts && "$0" verify; echo "first $?"; eval "$1"; "$0" verify; echo "second $?"'
    from tests.conftest import PROGRAM
    from zesty_anchor.shells import pty

    advice = re.search(r"mount -t devpts devpts /dev/pts", Path(pty.__file__).read_text())
    assert advice is not None
    done = subprocess.run(
        ["unshare", "--mount", "sh", "-c", inner, str(PROGRAM), advice[0]], capture_output=True, text=True,
        check=False, cwd=desk.home, env={"HOME": str(desk.home), "PATH": os.environ["PATH"], "LANG": "C.UTF-8"},
        stdin=subprocess.DEVNULL, timeout=120,
    )  # fmt: skip
    shown = done.stdout + done.stderr
    assert advice[0] in shown.partition("first")[0] + done.stderr and "first 0" not in shown, shown
    assert "second 0" in shown, shown


def test_the_switch_that_closes_user_namespaces_is_named(tmp_path: Path) -> None:
    """By a copy of the kernel's settings: one that is closed for real would stop other tests."""
    assert "sysctl" not in way_to_allow(tmp_path), "nothing is there to switch"
    for name, shut, wanted in (
        ("kernel.unprivileged_userns_clone", 0, 1),
        ("user.max_user_namespaces", 0, 63000),
    ):
        file = tmp_path / name.replace(".", "/")
        file.parent.mkdir(exist_ok=True)
        file.write_text(f"{shut}\n")
        assert f"{name}={wanted}" in way_to_allow(tmp_path)
        key, _, value = re.findall(rf"({name})(=)(\d+)", way_to_allow(tmp_path))[0]
        (tmp_path / key.replace(".", "/")).write_text(value)
        assert "sysctl" not in way_to_allow(tmp_path)


def test_sudo_is_advised_where_it_is(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(os, "geteuid", lambda: 0)
    assert rights.with_sudo("chown 1 x") == "chown 1 x"
    monkeypatch.setattr(os, "geteuid", lambda: 4711)
    monkeypatch.setattr(rights, "trusted_program", lambda name: None)
    assert rights.with_sudo("chown 1 x") == "as root: chown 1 x"
    monkeypatch.setattr(rights, "trusted_program", lambda name: "/usr/bin/doas" if name == "doas" else None)
    assert rights.with_sudo("chown 1 x") == "doas chown 1 x"


NAME = "tide-unfinished"


@pytest.fixture
def unfinished(tmp_path: Path) -> Iterator[Path]:
    """A package that dpkg cannot configure as long as a file is missing: that file."""
    flag, file = tmp_path / "flag", tmp_path / f"{NAME}.deb"
    postinst = f"#!/bin/sh\n[ -e {flag} ] || {{ echo no tide table >&2; exit 1; }}\n".encode()
    fields = {
        "Package": NAME, "Version": "1.0", "Architecture": "all", "Maintainer": "the tide desk <desk@harbour.invalid>",
        "Description": "made up",
    }  # fmt: skip
    file.write_bytes(deb(fields, {"DEBIAN/postinst": postinst}))
    subprocess.run(["dpkg", "-i", str(file)], capture_output=True, check=False)
    yield flag
    subprocess.run(["dpkg", "--purge", "--force-all", NAME], capture_output=True, check=False)


def status_of() -> str:
    words = ["dpkg-query", "-W", "-f", "${db:Status-Want} ${db:Status-Status}", NAME]
    return subprocess.run(words, capture_output=True, text=True, check=False).stdout


def as_printed(advice: str, pattern: str) -> None:
    found = re.search(pattern, advice)
    assert found is not None, advice
    subprocess.run(["sh", "-c", found[0]], input="y\n", text=True, capture_output=True, check=True)


@pytest.mark.system
@pytest.mark.skipif(os.geteuid() != 0 or shutil.which("dpkg-query") is None, reason="needs root on Debian")
def test_what_dpkg_left_unfinished(unfinished: Path, tmp_path: Path) -> None:
    assert status_of() == "install half-configured"
    advice = apt_problem(["dpkg was interrupted, you must run it again"], tmp_path / "log").advice
    unfinished.touch()
    as_printed(advice, r"dpkg --configure -a")
    assert status_of() == "install installed"
    as_printed(advice, r"apt-get -f install")
    subprocess.run(["apt-mark", "hold", NAME], capture_output=True, check=True)
    held = apt_problem(["Held packages were changed"], tmp_path / "log").advice
    as_printed(held.replace("NAME", NAME), rf"apt-mark unhold {NAME}")
    assert status_of() == "install installed", "it is held no more"
    unfinished.unlink()
    again = ["dpkg", "-i", str(unfinished.with_name(f"{NAME}.deb"))]
    subprocess.run(again, capture_output=True, check=False)
    assert status_of() == "install half-configured"
    with pytest.raises(Problem, match="cannot configure") as caught:
        Apt(os.environ).install([NAME], really, lambda *_: None, tmp_path / "log")
    as_printed(caught.value.advice, rf"apt-get purge {NAME}")
    assert "installed" not in status_of().split()


def really(command: tuple[str, ...], hear: Callable[[str], None]) -> int:
    done = subprocess.run(command, capture_output=True, text=True, check=False)
    for line in (done.stdout + done.stderr).splitlines():
        hear(line)
    return done.returncode
