"""Startup files with the line ends of Windows: what the real shells make of them, and what is said."""

from __future__ import annotations

import subprocess
from pathlib import Path

import pytest

from tests.conftest import PROGRAMS, Desk
from zesty_anchor.shells.known import SHELLS
from zesty_anchor.shells.line_ends import crlf_lines, described, fix, misread


@pytest.mark.parametrize("name", [each for each in SHELLS if each in PROGRAMS])
def test_the_shells_that_misread_them_are_those_that_are_said_to(name: str, tmp_path: Path) -> None:
    setting = {"fish": "set -gx DEPTH 12", "tcsh": "setenv DEPTH 12"}.get(name, "export DEPTH=12")
    file = tmp_path / "startup"
    file.write_bytes(f"{setting}\r\n".encode())
    shows = f"{SHELLS[name].source_word} {file}; printenv DEPTH"
    done = subprocess.run([PROGRAMS[name], "-c", shows], capture_output=True, check=True)
    assert misread(name, file.read_bytes()) is (done.stdout != b"12\n"), done.stdout


def test_lines_are_counted_and_the_first_is_named() -> None:
    assert (
        crlf_lines(b"a\nb\r\nc\r\n") == (2, 2) and crlf_lines(b"a\n") == (0, 0) and crlf_lines(None) == (0, 0)
    )
    assert crlf_lines(b"a\r") == (0, 0), "an end without a line feed is content"
    assert described(b"a\r\n").startswith("1 line ends with CR LF")
    assert described(b"a\r\nb\r\n").startswith("2 lines end with CR LF")


@pytest.mark.needs("bash")
def test_it_is_told_before_and_found_after_and_the_fix_fixes_it(desk: Desk) -> None:
    startup = desk.home / ".bashrc"
    startup.write_bytes(b"GAUGE=quay\r\nif true; then\r\n  DEPTH=12\r\nfi\r\n")
    desk.wants('[shells]\nuse = ["bash"]\n')
    seen = desk.well("preview").out
    assert "~/.bashrc: 4 lines end with CR LF" in seen and fix("~/.bashrc") in seen
    desk.well("provision", "--yes")
    found = desk.run("survey").out
    assert "4 lines end with CR LF" in found and "a syntax error" not in found, found
    command = fix("~/.bashrc")
    subprocess.run(["sh", "-c", command], env={"HOME": str(desk.home), "PATH": "/usr/bin:/bin"}, check=True)
    assert b"\r" not in startup.read_bytes()
    assert "CR LF" not in desk.run("survey").out
    assert "CR LF" not in desk.well("preview").out
