"""/etc/environment, privilege, and the places on disk."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import bench_in, is_root
from zesty_anchor.changes.system import system_variables
from zesty_anchor.changes.system.system_variables import SetSystemVariables, SystemVariables
from zesty_anchor.files.edit import Edit
from zesty_anchor.files.text_file import read_text_file
from zesty_anchor.system import pam_environment, root_store
from zesty_anchor.system.locations import locate
from zesty_anchor.system.pam_environment import unfit, with_variables
from zesty_anchor.system.privilege import Access, Hands, authenticate
from zesty_anchor.system.problem import Problem
from zesty_anchor.system.with_sudo import way_to_root


def read_as_pam_does(content: bytes) -> dict[str, str]:
    """What pam_env makes of the file, after its source (Linux-PAM, modules/pam_env, _parse_env_file)."""
    found = {}
    for line in content.decode().split("\n"):
        line = line.strip(" \t").split("#")[0].rstrip().removeprefix("export ")
        name, sign, value = line.partition("=")
        if sign and name.isidentifier():
            found[name] = "".join(c for c in value if c not in "\"'") if value[:1] in ("'", '"') else value
    return found


NAMES = st.from_regex(r"[A-Z]{1,3}", fullmatch=True)
VALUES = st.text(st.characters(codec="utf-8", blacklist_characters="\0\r"), max_size=30).filter(
    lambda v: not unfit(v)
)


@given(st.dictionaries(NAMES, VALUES, max_size=5), st.dictionaries(NAMES, VALUES, max_size=5))
def test_what_is_set_is_read_and_the_rest_stays(before: dict[str, str], new: dict[str, str]) -> None:
    first = with_variables(b"# mine\nPATH=/bin\n", before)
    second = with_variables(first, new)
    assert read_as_pam_does(second) == {"PATH": "/bin", **before, **new}
    assert second.startswith(b"# mine\nPATH=/bin\n")
    assert with_variables(second, new) == second


@pytest.mark.parametrize("value", ["a\nb", "a#b", 'a"b', "a'b", "a\\", "x" * 1000])
def test_what_cannot_be_carried_is_told(value: str) -> None:
    assert unfit(value)


def test_what_an_administrator_types_does_the_same(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(pam_environment, "FILE", tmp_path / "environment")
    before = b"PATH=/bin\nexport A=1\n"
    (tmp_path / "environment").write_bytes(before)
    wanted = {"A": "x y", "B": "$b `c`"}
    for command in pam_environment.by_hand(before, wanted):
        subprocess.run(command, check=True)
    assert read_as_pam_does((tmp_path / "environment").read_bytes()) == {"PATH": "/bin", **wanted}


def test_a_line_that_is_there_is_replaced() -> None:
    assert with_variables(b"export A=1\nB=2", {"A": "x", "C": "y"}) == b'A="x"\nB=2\nC="y"\n'


@pytest.mark.skipif(not is_root(), reason="install -o root needs root")
def test_setting_and_taking_back_with_real_commands(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    file = tmp_path / "environment"
    file.write_bytes(b"PATH=/bin\n")
    monkeypatch.setattr(pam_environment, "FILE", file)
    monkeypatch.setattr(system_variables, "_BESIDE", str(tmp_path / "beside"))
    monkeypatch.setattr(root_store, "STORE", tmp_path / "store")
    told: list[str] = []
    bench = bench_in(tmp_path, Hands(Access("root"), told.append).run)
    change = SetSystemVariables(
        Edit(read_text_file(file), b'PATH=/bin\nTIDE="high"\n'), str(file), (("TIDE", "high"),)
    )
    record = change.prepare(bench)
    change.carry_out(bench, record)
    assert file.read_bytes() == b'PATH=/bin\nTIDE="high"\n'
    assert all(line.startswith("with privilege: ") for line in told)
    file.write_bytes(file.read_bytes() + b"LATER=1\n")
    assert "only our own part" in SystemVariables().take_back(record, bench).notices[0]
    assert file.read_bytes() == b"PATH=/bin\nLATER=1\n"
    assert not (tmp_path / "store").exists()
    with pytest.raises(Problem, match="could not be written"):
        change.carry_out(bench_in(tmp_path), record)


def test_a_command_is_shown_as_it_would_be_typed() -> None:
    command = ("env", "LC_ALL=C", "apt-get", "install", "a b")
    assert Access("sudo", "/usr/bin/sudo").shown(command) == "sudo apt-get install 'a b'"
    assert Access("root").shown(command) == "apt-get install 'a b'"
    assert Access("").shown(("x",)) == f"{way_to_root()} x".strip(), "what an administrator types"
    assert authenticate(Access("sudo", "/no/such", password=False), "desk", {}).way == "sudo"


@pytest.mark.skipif(not is_root(), reason="stepping down needs root")
def test_started_through_sudo_the_work_is_the_callers(tmp_path: Path) -> None:
    script = (
        "import os; from zesty_anchor.system.privilege import step_down\ne, hand = step_down(os.environ);"
        " print(os.getuid(), os.getgid(), e['HOME'], e['USER'], 'SUDO_UID' in e)\ntry: os.setuid(0);"
        " print('back')\nexcept PermissionError: print('for good')"
    )
    done = subprocess.run(
        [sys.executable, "-c", script], capture_output=True, text=True, check=True,
        env={**os.environ, "SUDO_UID": "1", "SUDO_GID": "1", "HOME": "/root"},
    )  # fmt: skip
    assert done.stdout == "1 1 /usr/sbin daemon False\nfor good\n"


def test_the_places_follow_the_specification() -> None:
    places = locate({"HOME": "/h", "XDG_DATA_HOME": "/d", "XDG_STATE_HOME": "relative"})
    assert places.data == Path("/d/zesty-anchor")
    assert places.state == Path("/h/.local/state/zesty-anchor")
    assert places.shown("/h/x") == "~/x"
    assert places.shown("/hx") == "/hx"
