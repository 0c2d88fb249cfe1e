"""A file with its line is a link where the terminal makes links."""

from __future__ import annotations

import io
import os
import re

import pexpect
import pytest

from tests.conftest import PROGRAM, Desk
from zesty_anchor.show.paint import Paint, takes_links
from zesty_anchor.system.host import login_path

LINK = re.compile(r"\x1b\]8;;(.*?)\x1b\\(.*?)\x1b\]8;;\x1b\\")


@pytest.mark.parametrize(
    ("given", "takes"),
    [
        ({"VTE_VERSION": "7200"}, True),
        ({"VTE_VERSION": "4205"}, False),
        ({"TERM_PROGRAM": "vscode"}, True),
        ({"TERM_PROGRAM": "Apple_Terminal"}, False),
        ({"TERM": "xterm-kitty"}, True),
        ({"TERM": "xterm-kitty", "TMUX": "/tmp/tmux-1/default,7,0"}, False),
        ({"TERM": "xterm"}, False),
    ],
)
def test_only_a_terminal_that_is_known_for_it_gets_one(given: dict[str, str], takes: bool) -> None:
    assert takes_links(given) == takes


def test_what_is_a_file_with_its_line(tmp_path: object) -> None:
    paint = Paint(io.StringIO(), "never", {"HOME": "/home/tide", "VTE_VERSION": "7200", "TERM": "xterm"})
    assert paint.shown("~/.bashrc:3") == "~/.bashrc:3", "no terminal, no link"
    paint.links = True
    host = os.uname().nodename
    assert LINK.findall(paint.shown("cause 1: ~/.bashrc:3: it is an alias, see /etc/zsh/zshrc:12")) == [
        (f"file://{host}/home/tide/.bashrc", "~/.bashrc:3"),
        (f"file://{host}/etc/zsh/zshrc", "/etc/zsh/zshrc:12"),
    ]
    for other in ("http://127.0.0.1:8931/", "a/b:3", "~/.bashrc", "10:42", "~kelp/x:3", "file:///x:3"):
        assert "\x1b" not in paint.shown(other), other
    assert "\x1b]8;;file://evil" not in paint.shown("\x1b]8;;file://evil\x1b\\x"), (
        "what comes from outside is shown"
    )
    assert f"{host}/a%20b" not in paint.shown("/a b:3") and "%25" in paint.shown("/a%b:3")


@pytest.mark.needs("bash")
def test_a_place_that_verify_names_can_be_opened(desk: Desk) -> None:
    desk.wants('[shells]\nuse = ["bash"]\n')
    desk.well("provision")
    profile = desk.home / ".profile"
    profile.write_text(profile.read_text() + "alias kelp=true\nkelp() { :; }\n")
    shown, _ = pexpect.run(
        f"{PROGRAM} verify", cwd=str(desk.home), withexitstatus=True, encoding="utf-8", timeout=60,
        env={"HOME": str(desk.home), "PATH": login_path(), "TERM": "foot", "LANG": "C.UTF-8"},
    )  # fmt: skip
    places = {text: uri for uri, text in LINK.findall(shown)}
    line = len(profile.read_text().splitlines())
    assert places[f"~/.profile:{line}"].endswith(f"{desk.home}/.profile"), shown
