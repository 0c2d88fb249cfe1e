"""Values that a manifest takes from the environment and from files."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from tests.conftest import Desk
from zesty_anchor.manifest.outside import Unknown, with_outside

HOSTILE = "$(touch x) 'a' \"b\" \\ `c` #d"


@pytest.mark.needs("bash", "zsh", "fish")
def test_they_arrive_in_every_shell(desk: Desk) -> None:
    desk.environment |= {"QUAY": HOSTILE}
    desk.write("12 m\nsecond line\n", "depth")
    desk.write("{}", "editor.json")
    desk.wants(
        '[shells]\nuse = ["bash", "zsh", "fish"]\n[variables]\nGAUGE = "at {env:QUAY}"\nDEPTH = "{file:depth}"\n'
        'PLAIN = "{{env:QUAY}} {other:x}"\n'
        '[[settings]]\nfile = "~/editor.json"\nkey = "depth"\nvalue = ["{file:~/depth}", 3]\n'
    )
    desk.well("provision")
    for shell in ("bash", "zsh", "fish"):
        said = desk.shell(shell, 'printf "%s\\n" "$GAUGE" "$DEPTH" "$PLAIN"', "-l").splitlines()
        assert said == [f"at {HOSTILE}", "12 m", "{env:QUAY} {other:x}"], shell
    assert json.loads((desk.home / "editor.json").read_text()) == {"depth": ["12 m", 3]}
    assert "Nothing to do" in desk.well("provision").out
    desk.environment["QUAY"] = "another"
    assert "environment.bash" in desk.well("preview", "-v").out
    desk.well("provision")
    assert desk.shell("bash", 'echo "$GAUGE"', "-l") == "at another\n"
    del desk.environment["QUAY"]
    answer = desk.run("provision")
    line = next(
        n for n, row in enumerate(desk.manifest.read_text().splitlines(), 1) if row.startswith("GAUGE")
    )
    assert answer.code == 2 and "the environment has no variable QUAY" in answer.err
    assert f"workstation.toml:{line}" in answer.err and "QUAY=… zesty-anchor provision" in answer.err
    assert desk.shell("bash", 'echo "$GAUGE"', "-l") == "at another\n"


def test_what_is_not_there_or_no_value_is_said(tmp_path: Path) -> None:
    (tmp_path / "long").write_bytes(b"x" * 5000)
    (tmp_path / "binary").write_bytes(b"a\0b\n")
    (tmp_path / "latin").write_bytes(b"\xe9\n")
    (tmp_path / "empty").write_bytes(b"")

    def taken(value: object) -> object:
        return with_outside(value, {"A": "1"}, tmp_path, tmp_path)

    for text, said in (
        ("{env:B}", "no variable B"), ("{file:none}", "cannot be read"), ("{file:long}", "too long"),
        ("{file:binary}", "binary"), ("{file:latin}", "not in UTF-8"), ("{file:.}", "cannot be read"),
    ):  # fmt: skip
        with pytest.raises(Unknown, match=said):
            taken([text])
    assert taken({"a": ["{env:A}{env:A}", 2, "{file:empty}"]}) == {"a": ["11", 2, ""]}
    assert taken("{env:} {env} {{env:A}} {{{env:A}}}") == "{env:} {env} {env:A} {{env:A}}"


def test_a_variable_of_the_system_must_fit_there(desk: Desk) -> None:
    desk.environment["QUAY"] = "a # b"
    desk.wants('[shells]\nuse = ["bash"]\n[variables.system]\nGAUGE = "{env:QUAY}"\n')
    answer = desk.run("preview")
    assert answer.code == 2 and "GAUGE cannot be in /etc/environment: it holds a #" in answer.err
