"""Feeds of kind debian: what is believed of an archive, and what it offers."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Iterator
from pathlib import Path

import pysequoia
import pytest

from zesty_anchor.demo.archive import write_suite
from zesty_anchor.demo.host import Host
from zesty_anchor.feeds.debian import DebianFeed
from zesty_anchor.feeds.documents import Web
from zesty_anchor.feeds.feed import Around, Supply
from zesty_anchor.manifest.recipe import Source
from zesty_anchor.system.apt_archive import Suite
from zesty_anchor.system.problem import Problem
from zesty_anchor.system.signature import SignatureRefused

SOURCE = Source("debian", names=("kelp-{line}-tools", "kelp-{line}-core"), version=r"(\d+(?:\.\d+)*)\+")
DEPENDS = "libc6 (>= 2.30), zlib1g (>= 1:1.2)"


def pair(
    line: str, version: str, depends: str = DEPENDS
) -> list[tuple[dict[str, str], dict[str, bytes | str]]]:
    """The two packages of one version."""
    core = {"Package": f"kelp-{line}-core", "Version": version, "Depends": depends}
    tools = {
        "Package": f"kelp-{line}-tools",
        "Version": version,
        "Depends": f"kelp-{line}-core (= {version})",
    }
    return [(core, {"usr/lib/kelp/core": b"core"}), (tools, {"usr/lib/kelp/bin/kelp": b"#!/bin/sh\n"})]


class Archive:
    """An archive on loopback, the key that it is signed with, and the feed that reads it."""

    def __init__(self, room: Path, url: str) -> None:
        self.folder, self.url = room / "archive", url
        self.key = pysequoia.Tsk.generate("Harbour <harbour@example.org>")
        self.keyring = room / "keyring.pgp"
        self.keyring.write_bytes(bytes(self.key.extract_certificate()))
        self.answers = room / "answers"

    def write(self, suite: str, packages: object, **more: int) -> None:
        write_suite(self.folder, suite, packages, self.key.signer(), **more)  # type: ignore[arg-type]

    def feed(
        self,
        *suites: str,
        named: bool = True,
        libc: str = "2.36",
        offline: bool = False,
        source: Source = SOURCE,
    ) -> DebianFeed:
        supply = Supply("debian", "debian", self.url, "kelp", key=self.keyring, suites=suites, source=source)
        feed = DebianFeed(supply, Around({}, Path("/"), Web(self.answers, offline=offline)))
        feed.suites = [Suite(self.url, name, named) for name in suites]
        feed.libc = libc
        return feed


@pytest.fixture
def archive(tmp_path: Path) -> Iterator[Archive]:
    (tmp_path / "archive").mkdir()
    (tmp_path / "answers").mkdir()
    with Host(tmp_path / "archive") as serving:
        yield Archive(tmp_path, serving.url)


def test_versions_of_several_suites_each_of_all_its_packages(archive: Archive) -> None:
    other = ({"Package": "kelp-17-doc", "Version": "17.0.2+8-1"}, {"usr/share/doc/kelp": b"words"})
    lonely = pair("16", "16.0.1+1-1")[1:]
    archive.write("calm", [*pair("17", "17.0.2+8-1"), other, *lonely])
    archive.write("storm", [*pair("17", "17.0.2+8-3"), *pair("21", "1:21.0.1+4-2", "libc6 (>= 2.38)")])
    source = {
        release.version: release for release in archive.feed("calm", "storm").releases("kelp", "linux-x86_64")
    }
    assert source.keys() == {"17.0.2"}, (
        "the epoch of 21 is no part of the expression, and 16 has one package alone"
    )
    main = source["17.0.2"]
    assert main.url.endswith("/pool/main/calm/kelp-17-tools_17.0.2+8-1_amd64.deb"), "the first suite counts"
    assert [(piece.name, piece.version) for piece in main.parts] == [("kelp-17-core", "17.0.2+8-1")]
    assert main.digest.startswith("sha256:") and main.size and main.parts[0].size


def test_what_needs_a_newer_system_says_so(archive: Archive) -> None:
    archive.write("calm", [*pair("17", "17.0.2+8-1"), *pair("21", "21.0.1+4-2", "libc6 (>= 2.38)")])
    lacking = {r.version: r.lacking for r in archive.feed("calm").releases("kelp", "linux-x86_64")}
    assert lacking == {"17.0.2": "", "21.0.1": "it needs a newer system: libc6 2.38, and this one has 2.36"}
    newer = archive.feed("calm", libc="2.41").releases("kelp", "linux-x86_64")
    assert not any(release.lacking for release in newer)


def test_only_what_the_archives_key_signed_is_believed(archive: Archive) -> None:
    archive.write("calm", pair("17", "17.0.2+8-1"))
    file = archive.folder / "dists/calm/InRelease"
    signed = file.read_bytes()
    for spoilt in (signed.replace(b"Origin: Harbour", b"Origin: Harbuor"), b"Origin: Harbour\n", b""):
        file.write_bytes(spoilt)
        with pytest.raises(SignatureRefused, match="is not signed with a key that this machine trusts"):
            archive.feed("calm").releases("kelp", "linux-x86_64")
    file.write_bytes(signed)
    other = pysequoia.Tsk.generate("Other <other@example.org>")
    archive.keyring.write_bytes(bytes(other.extract_certificate()))
    with pytest.raises(SignatureRefused, match="is not signed with a key"):
        archive.feed("calm").releases("kelp", "linux-x86_64")
    archive.keyring.write_text("no key")
    with pytest.raises(SignatureRefused, match="there is no key to check"):
        archive.feed("calm").releases("kelp", "linux-x86_64")


def test_an_index_with_another_digest_is_refused(archive: Archive) -> None:
    archive.write("calm", pair("17", "17.0.2+8-1"))
    index = archive.folder / "dists/calm/main/binary-amd64/Packages.xz"
    archive.write("storm", pair("18", "18.0.0+1-1"))
    index.write_bytes((archive.folder / "dists/storm/main/binary-amd64/Packages.xz").read_bytes())
    with pytest.raises(Problem, match="another digest than its signed list says"):
        archive.feed("calm").releases("kelp", "linux-x86_64")
    index.write_bytes(b"no index at all")
    with pytest.raises(Problem, match="is damaged"):
        archive.feed("calm").releases("kelp", "linux-x86_64")
    assert not list(archive.answers.glob("*.*")), "nothing half is left among the answers"


def test_a_suite_that_is_old_or_another_or_not_there(archive: Archive) -> None:
    archive.write("calm", pair("17", "17.0.2+8-1"))
    archive.write("storm", pair("21", "21.0.1+4-2"), valid_days=-1)
    with pytest.raises(Problem, match="says of storm was valid until"):
        archive.feed("storm").releases("kelp", "linux-x86_64")
    (archive.folder / "dists/gale").symlink_to("calm")
    with pytest.raises(Problem, match="another suite than gale: calm"):
        archive.feed("gale").releases("kelp", "linux-x86_64")
    with pytest.raises(Problem, match="404"):
        archive.feed("fog").releases("kelp", "linux-x86_64")
    feed = archive.feed("fog", "storm", "calm", named=False)
    assert [r.version for r in feed.releases("kelp", "linux-x86_64")] == ["17.0.2"]
    (remark,) = feed.web.remarks
    assert re.match("storm is passed over: .* was valid until", remark), (
        "one that is not there at all needs no word"
    )


def test_the_answers_are_kept_and_only_the_wanted_entries(archive: Archive) -> None:
    filler = [({"Package": f"tide-{n}", "Version": "1"}, {"usr/share/x": b"x"}) for n in range(30)]
    archive.write("calm", [*filler, *pair("17", "17.0.2+8-1")])
    first = archive.feed("calm").releases("kelp", "linux-x86_64")
    kept = b"".join(file.read_bytes() for file in archive.answers.iterdir())
    assert b"kelp-17-core" in kept and b"tide-7" not in kept
    assert archive.feed("calm", offline=True).releases("kelp", "linux-x86_64") == first
    with pytest.raises(Problem, match="was never asked for this"):
        archive.feed("fog", offline=True).releases("kelp", "linux-x86_64")


def test_another_system_has_nothing_from_it(archive: Archive) -> None:
    with pytest.raises(Problem, match="has nothing for macos-aarch64"):
        archive.feed("calm").releases("kelp", "macos-aarch64")


BUILT = Source("debian", sources=("kelp3.{line}",), version=r"(?:\d+:)?(?:[^-]*\+really)?(\d+(?:\.\d+)*)")


def test_the_upstreams_archives_of_source_packages(archive: Archive) -> None:
    """The version is the upstream's; an archive that is not the upstream's, or of another name, is none."""
    archive.write("calm", pair("3", "3.1.0+1-1"), sources=[
        ("kelp3.1", "1:3.1.4-2+deb1", "kelp3.1_3.1.4.orig.tar.xz", b"sources"),
        ("kelp3.2", "3.2.9+really3.2.5-1", "kelp3.2_3.2.9+really3.2.5.orig.tar.gz", b"others"),
        ("kelp3.3", "3.3.0", "kelp3.3_3.3.0.tar.xz", b"native"),
        ("kelp3.4", "3.4.0-1", "kelp3.4_3.4.0.orig-docs.tar.xz", b"a part"),
        ("kelp-doc", "3.1.4-2", "kelp-doc_3.1.4.orig.tar.xz", b"words"),
    ])  # fmt: skip
    feed = archive.feed("calm", source=BUILT)
    found = {release.version: release for release in feed.releases("kelp", "linux-x86_64")}
    assert set(found) == {"3.1.4", "3.2.5"}
    one = found["3.1.4"]
    assert (
        one.source
        and one.url == f"{archive.url}pool/main/kelp3.1/kelp3.1_3.1.4.orig.tar.xz"
        and one.size == 7
    )
    assert one.digest == "sha256:" + hashlib.sha256(b"sources").hexdigest()


def test_an_index_of_sources_that_was_changed_is_refused(archive: Archive) -> None:
    archive.write("calm", [], sources=[("kelp3.1", "3.1.4-2", "kelp3.1_3.1.4.orig.tar.xz", b"sources")])
    index = archive.folder / "dists/calm/main/source/Sources.xz"
    index.write_bytes(index.read_bytes() + b"x")
    feed = archive.feed("calm", source=BUILT)
    with pytest.raises(Problem):
        feed.releases("kelp", "linux-x86_64")
