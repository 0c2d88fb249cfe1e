"""The lock decides: version, address and digest are its own, and what it may not say is refused."""

from __future__ import annotations

import hashlib
from pathlib import Path

import pytest

from tests.conftest import Desk, login_path
from zesty_anchor import api
from zesty_anchor.manifest.lock import Locked, LockedFile, text_of
from zesty_anchor.manifest.wanted import WantedVersion
from zesty_anchor.planning.look import look_at
from zesty_anchor.planning.offers import Offers
from zesty_anchor.planning.planner import Planner
from zesty_anchor.planning.resolve import Resolver
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.system.host import host
from zesty_anchor.system.privilege import NO_ACCESS
from zesty_anchor.system.problem import UsageProblem

DIGEST = "sha256:" + "1" * 64


def loaded(desk: Desk) -> Workstation:
    return api.load(environ={"HOME": str(desk.home), "PATH": login_path()}, folder=desk.home)


def resolved(desk: Desk) -> WantedVersion:
    workstation = loaded(desk)
    (version,) = Resolver(workstation, Offers(workstation)).versions(look_at(workstation), {})
    return version


def lock(desk: Desk, **more: str) -> None:
    file = LockedFile(**{"url": f"{desk.url}kelp-3.6.2.tar.gz", "digest": DIGEST, **more})  # type: ignore[arg-type]
    entry = Locked("kelp", "lts", "3.6.2", "harbour", {host().platform: file})
    desk.write(text_of([entry], {}), "workstation.lock")


def test_without_a_lock_the_newest_that_fits_is_taken(desk: Desk) -> None:
    desk.wants()
    assert resolved(desk).version == "4.2.1"


def test_version_address_and_digest_are_those_of_the_lock(desk: Desk) -> None:
    desk.wants()
    lock(desk)
    version = resolved(desk)
    assert version.version == "3.6.2"
    assert version.artefact is not None
    assert (version.artefact.url, version.artefact.digest) == (f"{desk.url}kelp-3.6.2.tar.gz", DIGEST)


@pytest.mark.parametrize(
    "more",
    [
        {"url": "file:///etc/passwd"},
        {"url": "ftp://127.0.0.1/kelp.tgz"},
        {"digest": "sha256:12"},
        {"digest": "md5:" + "1" * 32},
    ],
)
def test_what_its_feed_might_not_offer_a_lock_may_not_say(desk: Desk, more: dict[str, str]) -> None:
    desk.wants()
    lock(desk, **more)
    with pytest.raises(UsageProblem, match="the lock is refused"):
        resolved(desk)


def test_a_lock_without_a_file_for_this_platform_is_told(desk: Desk) -> None:
    desk.wants()
    entry = Locked("kelp", "lts", "3.6.2", "harbour", {"linux-tide": LockedFile(f"{desk.url}x", DIGEST)})
    desk.write(text_of([entry], {}), "workstation.lock")
    with pytest.raises(UsageProblem, match="the lock has no file of kelp"):
        resolved(desk)


@pytest.fixture
def script(desk: Desk, tmp_path: Path) -> bytes:
    """A manager that comes by a script, which the manifest has not reviewed yet."""
    return b"#!/bin/sh\nmkdir -p ~/.rope/bin; printf 'echo rope' >~/.rope/bin/rope\n"


@pytest.mark.parametrize("reviewed", ["right", "wrong"])
def test_an_installer_is_the_one_that_was_reviewed_or_refused(
    desk: Desk, make_feed: object, script: bytes, reviewed: str
) -> None:
    url = make_feed({"install": script})  # type: ignore[operator]
    digest = hashlib.sha256(script if reviewed == "right" else b"another one").hexdigest()
    desk.write(
        f'as-root = "allowed"\n[shells]\nuse = ["bash"]\n[managers.rope]\nwant = "3"\n'
        f'script = "{url}install"\n'
        f'reviewed = "sha256:{digest}"\n[recipes.rope]\ncommands = ["rope"]\ninstaller.folder = "~/.rope"\n'
        'manager = { list = "rope list", install = "rope i {version}", locate = "rope w {version}" }\n'
    )
    workstation = loaded(desk)
    planner = Planner(workstation, lambda wanted, machine: (), Offers(workstation), lambda: NO_ACCESS)
    if reviewed == "right":
        (version,) = planner.plan(look_at(workstation), {}).wanted.versions
        assert version.reviewed and version.script == script
        return
    with pytest.raises(UsageProblem, match="not the one that was reviewed"):
        planner.plan(look_at(workstation), {})
