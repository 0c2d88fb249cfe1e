"""A thousand variables: each arrives, exported, and what a person has set stays as it was."""

from __future__ import annotations

import subprocess
from pathlib import Path

import pytest

from tests.conftest import SHELLS
from zesty_anchor.shells.environment import Environment
from zesty_anchor.shells.known import following, generated

OPTIONS = ("setopt all_export", "setopt ksh_arrays extended_glob magic_equal_subst")
"""Of zsh, which sets them in a way of its own."""


def written(environment: Environment, shell: str, folder: Path) -> Path:
    """The file that a shell reads, beside the one that it keeps many variables in."""
    file = folder / f"environment.{shell}"
    file.write_text(generated()[shell](environment, str(file)))
    if shell == "zsh":
        values = folder / "values.zsh"
        values.write_text(generated()["values.zsh"](environment, str(values)))
    return file


@pytest.mark.parametrize(
    ("shell", "mine"),
    [
        pytest.param(name, mine, marks=pytest.mark.needs(name))
        for name in following()
        for mine in ("", *OPTIONS)
        if not mine or name == "zsh"
    ],
)
def test_each_of_many_is_exported_and_options_stay(shell: str, mine: str, tmp_path: Path) -> None:
    values = {f"TIDE_{n:03}": f"it's {n} at ~/quay=$5 *\n" for n in range(200)}
    environment = Environment(
        tuple((name, (value,)) for name, value in values.items()), (), (), "/s", "/b", "/p", str(tmp_path)
    )
    file = written(environment, shell, tmp_path)
    options = "setopt" if shell == "zsh" else ":"
    read = (
        f"TIDE_003=plain; {mine or ':'}; {options} >{tmp_path}/before; {'source' if shell == 'fish' else '.'}"
        f" {file}; {options} >{tmp_path}/after; env -0"
    )
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


@pytest.mark.needs("zsh")
@pytest.mark.parametrize(
    "mine",
    ["", "setopt all_export", "setopt no_unset warn_create_global warn_nested_var", "setopt ksh_arrays"],
)
def test_what_a_line_in_between_has_set_is_set_again_and_nothing_else(mine: str, tmp_path: Path) -> None:
    """An interactive zsh reads our file twice: before and after the person's lines."""
    found = tuple((f"TIDE_{n:03}", (f"$(echo {n}) `quay` ${{n}}",)) for n in range(100))
    file = written(Environment(found, (), (), "/s", "/b", "/p", str(tmp_path)), "zsh", tmp_path)
    read = (
        f"{mine or ':'}; . {file}; . {file}; echo same; TIDE_007=mine; . {file}; print -r -- $TIDE_007; unset"
        f" TIDE_050; . {file}; print -r -- $TIDE_050; env | grep -c '^TIDE_'; {SHELLS['zsh']} -fic '. {file};"
        " print -r -- $TIDE_099; env | grep -c za__'"
    )
    done = subprocess.run(
        [SHELLS["zsh"], "-f", "-i", "-x", "-c", read], env={"HOME": str(tmp_path), "PATH": "/usr/bin:/bin",
        "TERM": "dumb"},
        stdin=subprocess.DEVNULL, capture_output=True, text=True, timeout=60, check=False,
    )  # fmt: skip
    assert done.stdout.splitlines()[:5] == [
        "same",
        "$(echo 7) `quay` ${n}",
        "$(echo 50) `quay` ${n}",
        "100",
        "$(echo 99) `quay` ${n}",
    ]
    assert not [line for line in done.stderr.splitlines() if "created globally" in line or "not set" in line]
    first, _, rest = done.stderr.partition("echo same")
    assert first.count("TIDE_099=") == 1 and rest.count("TIDE_099=") == 2, (
        "read where it was to be, and not else"
    )


@pytest.mark.needs("zsh")
def test_one_that_is_empty_is_told_from_one_that_is_not_there(tmp_path: Path) -> None:
    found = tuple((f"TIDE_{n:03}", ("" if n == 3 else "x",)) for n in range(100))
    file = written(Environment(found, (), (), "/s", "/b", "/p", str(tmp_path)), "zsh", tmp_path)
    assert not (tmp_path / "values.zsh").read_text()
    read = f". {file}; unset TIDE_003; . {file}; print -r -- ${{TIDE_003-gone}}."
    assert (
        subprocess.run(
            [SHELLS["zsh"], "-fic", read],
            capture_output=True,
            text=True,
            check=True,
            stdin=subprocess.DEVNULL,
            env={"HOME": str(tmp_path), "PATH": "/usr/bin:/bin", "TERM": "dumb"},
            timeout=60,
            start_new_session=True,
        ).stdout
        == ".\n"
    )
