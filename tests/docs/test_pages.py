"""The pages say what the program does: their commands are run, their lists are made from the types, and the
site is built.
"""

from __future__ import annotations

import importlib.util
import json
import os
import re
import shutil
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest

from tests.conftest import PROGRAMS, Desk
from tests.fleet import Fleet
from zesty_anchor.demo.home import furnish
from zesty_anchor.demo.wares import compiler

ROOT = Path(__file__).parents[2]
DOCS = ROOT / "docs"


def commands_of(page: Path) -> list[tuple[str, list[str]]]:
    """The commands of a page with the lines that they are said to print."""
    found: list[tuple[str, list[str]]] = []
    for block in re.findall(r"^```console\n(.*?)^```$", page.read_text(), re.MULTILINE | re.DOTALL):
        for row in block.splitlines():
            if row.startswith("$ "):
                found.append((row[2:], []))
            else:
                found[-1][1].append(row)
    return found


def differs(said: list[str], printed: list[str]) -> str:
    """The first line that is said and was not printed at its place; empty where there is none. A line of …
    stands for any lines, and how wide a column is does not count.
    """
    left, anywhere = [re.sub(" {2,}", "  ", row) for row in printed], False
    for line in (re.sub(" {2,}", "  ", row) for row in said):
        if line == "…":
            anywhere = True
            continue
        pattern = re.compile(".*".join(map(re.escape, line.rstrip().split("…"))))
        place = next((n for n, row in enumerate(left) if pattern.fullmatch(row.rstrip())), None)
        if place is None or (place and not anywhere):
            return line
        left, anywhere = left[place + 1 :], False
    return "" if anywhere or not left else f"nothing more, and not {left[0]!r}"


def test_a_page_that_is_wrong_is_told() -> None:
    assert differs(["a", "b …", "…"], ["a", "b 3", "c"]) == ""
    assert differs(["a", "c"], ["a", "b", "c"]) == "c"
    assert differs(["…", "c"], ["a", "b", "c"]) == ""
    assert "nothing more" in differs(["a"], ["a", "b"])
    assert differs(["a", "…", "d"], ["a", "b"]) == "d"


AS_ROOT = (
    pytest.mark.needs("ssh", "sshd"),
    pytest.mark.skipif(os.geteuid() != 0, reason="sshd is started as root, as it is meant to"),
)


def with_machines(folder: Path, desk: Desk) -> None:
    """Three machines that ssh is led to by the configuration in the desk's home."""
    (folder / "fleet").mkdir()
    fleet = Fleet(folder / "fleet", desk)
    fleet.add("quay-1", "quay-2", "mast-1")
    (desk.home / ".ssh").mkdir(mode=0o700)
    shutil.copy(fleet.config, desk.home / ".ssh/config")


@pytest.mark.sees_system
@pytest.mark.needs("bash", "zsh", "fish", "ksh", "mksh", "tcsh")
@pytest.mark.parametrize(
    ("page", "before"),
    [
        ("tutorial", ()),
        ("questions", ("provision", "--trust", "workstation.toml")),
        ("upgrade", ("provision", "--trust", "workstation.toml")),
        ("ci", ()),
        ("coming", ()),
        pytest.param("team", (), marks=AS_ROOT),
    ],
)
def test_the_commands_of_a_page_print_what_it_says(
    desk: Desk, harbour: str, page: str, before: tuple[str, ...], tmp_path: Path
) -> None:
    manifest = furnish(desk.home, harbour, with_c=compiler() is not None)
    if before:
        answer = desk.run(*before, cwd=manifest.parent)
        assert answer.code == 0, answer.err
    programs = str(Path(sys.executable).parent)
    if page == "team":
        with_machines(tmp_path, desk)
    commands = commands_of(DOCS / f"{page}.md")
    assert len(commands) > (2 if page == "coming" else 6)
    for command, said in commands:
        done = subprocess.run(
            ["bash", "-c", command],
            env={"HOME": str(desk.home), "SHELL": "/bin/bash",
            "PATH": f"{programs}:/usr/local/bin:/usr/bin:/bin", "LANG": "C.UTF-8"},
            cwd=manifest.parent, stdin=subprocess.DEVNULL, capture_output=True, text=True, timeout=120,
            check=False,
        )  # fmt: skip
        printed = done.stdout if done.stdout.strip() or "ls " not in command else ""
        printed = (done.stderr + printed if "ls " in command else printed).replace(str(desk.home), "~")
        wrong = differs(said, printed.splitlines())
        if "too noisy" in printed and "--seconds" in command:  # beside other tests there is no quiet machine
            wrong = differs([said[0], "…"], printed.splitlines())
        assert not wrong, f"{page}.md: {command} does not print {wrong!r}, but:\n{printed}{done.stderr}"


def generator() -> Any:
    """docs/generate.py, which is no part of the package."""
    spec = importlib.util.spec_from_file_location("generate", DOCS / "generate.py")
    assert spec is not None and spec.loader is not None
    module = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    return module


def test_what_is_made_from_types_and_commands_is_up_to_date(tmp_path: Path) -> None:
    generator().write(tmp_path)
    for file in sorted(path for path in tmp_path.rglob("*") if path.is_file()):
        name = file.relative_to(tmp_path)
        assert file.read_text() == (DOCS / name).read_text(), f"run: python docs/generate.py ({name} differs)"
    security = DOCS.parent / "SECURITY.md"
    assert generator().security_page(security.read_text()) == security.read_text(), (
        "run: python docs/generate.py"
    )
    assert len(list((DOCS / "man").glob("*.1"))) == len(list((tmp_path / "man").glob("*.1"))) > 20


def test_the_site_is_built_without_a_warning(tmp_path: Path) -> None:
    done = subprocess.run(
        [str(Path(sys.executable).parent / "mkdocs"), "build", "--strict", "--quiet", "--site-dir",
        str(tmp_path / "site")],
        cwd=ROOT, capture_output=True, text=True, check=False,
    )  # fmt: skip
    assert done.returncode == 0, done.stdout + done.stderr
    assert "throwaway home" in (tmp_path / "site/tutorial.html").read_text()
    for file in (tmp_path / "site").glob("*.html"):
        text = file.read_text()
        assert "<script" not in text and not re.search(r'(?:src|href)="https?://(?!github)', text), file
        if file.name != "404.html":
            landmarks = re.findall(r"<(header|main|nav|footer)\b", text)
            assert {"header", "main", "nav", "footer"} <= set(landmarks) and '<html lang="en">' in text, file
            assert text.index('href="#content"') < text.index("<header"), "the first stop of the Tab key"


SEEN = Path(__file__).with_name("seen.js").read_text()


@pytest.mark.needs("chromium")
@pytest.mark.parametrize(("width", "dark"), [(500, False), (1280, True)])
def test_a_page_can_be_read_on_a_phone_and_in_the_dark(tmp_path: Path, width: int, *, dark: bool) -> None:
    mkdocs = [str(Path(sys.executable).parent / "mkdocs"), "build", "--quiet"]
    subprocess.run([*mkdocs, "--site-dir", str(tmp_path / "site")], cwd=ROOT, check=True, capture_output=True)
    night = ["--blink-settings=preferredColorScheme=0"] if dark else []
    for name in ("manifest", "benchmarks"):
        page = tmp_path / f"site/{name}.html"
        page.write_text(page.read_text().replace("</body>", f"<script>{SEEN}</script></body>"))
        done = subprocess.run(
            [PROGRAMS["chromium"], "--headless=new", "--no-sandbox", "--disable-gpu",
             "--virtual-time-budget=3000", f"--user-data-dir={tmp_path / 'profile'}", *night,
             f"--window-size={width},800", "--dump-dom", page.as_uri()],
            env={"HOME": str(tmp_path), "PATH": "/usr/bin:/bin"},
            capture_output=True, text=True, check=True, timeout=120,
        )  # fmt: skip
        title = re.search(r"<title>(\{.*?\})</title>", done.stdout)
        assert title is not None, done.stdout[:300]
        seen = json.loads(title[1].replace("&quot;", '"'))
        assert seen["wide"] <= seen["window"] and seen["dark"] is dark, (name, seen)
        assert seen["contrast"] >= 4.5 and seen["menu"] is (width < 900), (name, seen)
