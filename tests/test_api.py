"""The public API: the page's own program, run as a person runs it, and what it raises."""

from __future__ import annotations

import re
import subprocess
import sys
from pathlib import Path

import msgspec
import pytest

from tests.conftest import Desk, login_path
from zesty_anchor import api

PAGE = Path(__file__).parents[1] / "docs/api.md"


def program_of(page: Path) -> str:
    found = re.search(r"```python\n(.*?)```", page.read_text(), re.DOTALL)
    assert found
    return found[1]


def run(desk: Desk, text: str) -> subprocess.CompletedProcess[str]:
    file = desk.write(text, "use_api.py")
    return subprocess.run(
        [sys.executable, str(file)],
        cwd=desk.home,
        env={"HOME": str(desk.home), "PATH": login_path(), "LANG": "C.UTF-8"},
        capture_output=True,
        text=True,
        timeout=120,
        check=False,
        stdin=subprocess.DEVNULL,
    )


@pytest.mark.needs("bash", "zsh")
def test_the_program_on_the_page_runs(desk: Desk) -> None:
    desk.wants()
    text = program_of(PAGE)
    desk.write(text, "use_api.py")
    before = desk.likeness()
    done = run(desk, text)
    assert done.returncode == 0, done.stdout + done.stderr
    rows = done.stdout.splitlines()
    assert "install kelp 4.2.1" in rows
    assert rows[-3].endswith(" changes, 0 failed")
    assert int(rows[-3].split()[0]) > 3
    assert rows[-2:] == ["verified", "0 runs left"]
    after = desk.likeness()
    assert {name: each for name, each in after.items() if not name.startswith(".")} == {
        name: each for name, each in before.items() if not name.startswith(".")
    }


def test_a_question_without_an_answer_is_raised_before_any_change(desk: Desk) -> None:
    desk.wants()
    elsewhere = desk.write(desk.manifest.read_text(), "checkout/workstation.toml")
    desk.manifest.unlink()
    before = desk.likeness()
    done = run(
        desk, program_of(PAGE).replace('Path("workstation.toml")', 'Path("checkout/workstation.toml")')
    )
    assert done.returncode == 5, done.stdout + done.stderr
    assert f"answer: --trust {elsewhere}" in done.stdout
    (desk.home / "use_api.py").unlink()
    assert desk.likeness() == before


def test_mistakes_are_problems_with_a_place(desk: Desk) -> None:
    desk.write('[runtimes.kelp]\nwand = "lts"\n')
    environment = {"HOME": str(desk.home), "PATH": login_path()}
    with pytest.raises(api.UsageProblem) as caught:
        api.load(desk.manifest, environ=environment, folder=desk.home)
    assert caught.value.where == f"{desk.manifest}:2"
    assert "want" in caught.value.advice


def test_a_workstation_is_a_frozen_value(desk: Desk) -> None:
    desk.wants()
    loaded = api.load(environ={"HOME": str(desk.home), "PATH": login_path()}, folder=desk.home)
    assert loaded.file == desk.manifest
    assert list(loaded.manifest.runtimes) == ["kelp"]
    with pytest.raises(AttributeError):
        loaded.file = Path("/")  # type: ignore[misc]
    assert isinstance(loaded, msgspec.Struct)


def test_all_names_of_the_api_are_documented() -> None:
    for name in api.__all__:
        assert getattr(api, name).__doc__
    page = PAGE.read_text()
    assert [
        name
        for name in ("load", "preview", "provision", "verify", "undo", "runs")
        if f"| `{name}(" not in page
    ] == []
