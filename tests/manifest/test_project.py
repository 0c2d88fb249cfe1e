"""A project's manifest: which one it is, and what it may set."""

from __future__ import annotations

import pytest

from zesty_anchor.manifest.project import is_project, project_variables

REFUSED = {
    "PATH": "cannot set PATH",
    "LD_PRELOAD": "decides which code programs load",
    "IFS": "it changes how shells read",
    "ZESTY_ANCHOR_SESSION": "this program uses such names itself",
    "A-B": "is not the name of a variable",
}


@pytest.mark.parametrize("name", REFUSED)
def test_what_a_project_may_not_set(name: str) -> None:
    (found,) = project_variables(f'[variables]\n"{name}" = "x"\n')
    assert REFUSED[name] in found.wrong and found.line == 2


def test_a_value_is_plain_text() -> None:
    (found,) = project_variables('[variables]\nKELP_HOME = "{kelp}"\n')
    assert "plain text" in found.wrong


def test_what_makes_a_manifest_a_project_s() -> None:
    assert is_project('[runtimes.kelp]\nwant = "4"\n[variables]\nA = "1"\n')
    assert not is_project('[variables]\nA = "1"\n[path]\nfirst = ["~/bin"]\n')
    assert not is_project("[variables.system]\nA = '1'\n")
    assert not is_project("this is no TOML")
    assert project_variables('[variables]\nA = "1"\n[[checks]]\nrun = "x"\n') == []
