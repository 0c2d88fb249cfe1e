"""Bringing in one commit of a repository."""

from __future__ import annotations

import os
import socket
from pathlib import Path

import pytest

from zesty_anchor.shelf.checkout import check_out
from zesty_anchor.system import host
from zesty_anchor.system.problem import Problem

pytestmark = pytest.mark.needs("git")


def test_a_repository_that_says_nothing_is_given_up(tmp_path: Path) -> None:
    with (
        socket.create_server(("127.0.0.1", 0)) as silent,
        pytest.raises(Problem, match=r"git .*did not end within"),
    ):
        url = f"git://127.0.0.1:{silent.getsockname()[1]}/kelp"
        check_out(url, "0" * 40, tmp_path, os.environ, seconds=0.5)


def test_without_git_the_package_is_named(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(host, "login_path", lambda superuser=None: "/nowhere")
    with pytest.raises(Problem, match="git is not installed") as caught:
        check_out("https://tide.example/kelp", "0" * 40, tmp_path, {"PATH": str(tmp_path)})
    assert '"git"' in caught.value.advice
