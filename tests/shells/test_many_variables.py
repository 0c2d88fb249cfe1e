"""A thousand variables: each arrives, exported, and what a person has set stays as it was."""

from __future__ import annotations

import subprocess
from pathlib import Path

import pytest

from tests.conftest import SHELLS
from zesty_anchor.shells.known import FOLLOWING, GENERATED
from zesty_anchor.shells.shell import Environment

OPTIONS = ("setopt all_export", "setopt ksh_arrays extended_glob magic_equal_subst")
"""Of zsh, which sets them in a way of its own."""


@pytest.mark.parametrize(
    ("shell", "mine"),
    [
        pytest.param(name, mine, marks=pytest.mark.needs(name))
        for name in FOLLOWING
        for mine in ("", *OPTIONS)
        if not mine or name == "zsh"
    ],
)
def test_each_of_many_is_exported_and_options_stay(shell: str, mine: str, tmp_path: Path) -> None:
    values = {f"TIDE_{n:03}": f"it's {n} at ~/quay=$5 *\n" for n in range(200)}
    environment = Environment(
        tuple((name, (value,)) for name, value in values.items()), (), (), "/s", "/b", "/p", str(tmp_path)
    )
    file = tmp_path / f"environment.{shell}"
    file.write_text(GENERATED[shell](environment, str(file)))
    options = "setopt" if shell == "zsh" else ":"
    read = f"TIDE_003=plain; {mine or ':'}; {options} >{tmp_path}/before; {'source' if shell == 'fish' else '.'} {file}; {options} >{tmp_path}/after; env -0"
    if shell == "fish":
        read = f"set -g TIDE_003 plain; source {file}; env -0"
    words = [SHELLS[shell], *(["-f"] if shell == "zsh" else []), "-i", "-c", read]
    done = subprocess.run(
        words, env={"HOME": str(tmp_path), "PATH": "/usr/bin:/bin", "TERM": "dumb"}, stdin=subprocess.DEVNULL,
        capture_output=True, text=True, timeout=60, check=False,
    )  # fmt: skip
    found = dict(pair.partition("=")[::2] for pair in done.stdout.split("\0") if "=" in pair)
    assert {name: found.get(name) for name in values} == values, done.stderr
    assert "za__export" not in found
    if shell == "zsh":
        assert (tmp_path / "before").read_text() == (tmp_path / "after").read_text()
