"""Which archive apt is set to: asked of a stand-in for apt, in the words that the real one answers with."""

from __future__ import annotations

import os
import shutil
from pathlib import Path

import pytest

from zesty_anchor.system import apt_archive, host
from zesty_anchor.system.apt_archive import Suite, proxy, suites_here
from zesty_anchor.system.problem import UsageProblem

ROWS = """http://a.invalid/debian/ calm main
http://a.invalid/debian/ calm universe
http://a.invalid/debian/ calm-updates main
http://b.invalid/security/ calm-security main
http://c.invalid/other/ stable main"""


@pytest.fixture
def environ(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> dict[str, str]:
    (tmp_path / "os-release").write_text('ID=debian\nVERSION_CODENAME="calm"\n')
    monkeypatch.setattr(apt_archive, "_OS_RELEASE", tmp_path / "os-release")
    rows = (
        "Acquire::http::Proxy http://p:1/\nAcquire::http::Proxy::b.invalid"
        " DIRECT\nAcquire::https::Proxy::c.invalid http://q:2/"
    )
    for name, text in (("apt-get", ROWS), ("apt-config", rows)):
        (tmp_path / name).write_text(f"#!/bin/sh\ncat <<'END'\n{text}\nEND\n")
        (tmp_path / name).chmod(0o755)
    monkeypatch.setattr(host, "login_path", lambda superuser=None: f"{tmp_path}:{os.defpath}")
    return {"PATH": os.defpath}


def test_the_suites_of_this_release_then_others_of_the_same_archive(environ: dict[str, str]) -> None:
    both = ("main", "universe")
    assert suites_here(environ, ("calm", "storm")) == [
        Suite("http://a.invalid/debian/", "calm", components=both),
        Suite("http://a.invalid/debian/", "calm-updates"),
        Suite("http://b.invalid/security/", "calm-security"),
        Suite("http://a.invalid/debian/", "storm", components=both),
    ]


def test_the_proxy_of_a_host(environ: dict[str, str]) -> None:
    assert proxy("http://a.invalid:80/debian/", environ) == "http://p:1/"
    assert proxy("http://b.invalid/security/", environ) == ""
    assert proxy("https://c.invalid/", environ) == "http://q:2/"
    assert proxy("https://a.invalid/", environ) == ""


def test_without_apt_an_archive_must_be_named(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(host, "login_path", lambda superuser=None: "/nowhere")
    with pytest.raises(UsageProblem, match="no archive of Debian's form is known"):
        suites_here({"PATH": str(tmp_path)}, ())


@pytest.mark.skipif(shutil.which("apt-get") is None, reason="no apt here")
def test_what_the_real_apt_is_set_to() -> None:
    suites = suites_here({"PATH": os.environ["PATH"]}, ("sid",))
    assert suites[0].url.endswith("/") and suites[-1].name == "sid" and apt_archive.keyrings()
