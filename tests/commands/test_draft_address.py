"""A manifest from the address of a tool: drafted, then provisioned as it is."""

from __future__ import annotations

import hashlib
import io
import zipfile
from collections.abc import Callable

import pytest

from tests.conftest import Desk
from zesty_anchor.demo.wares import pack
from zesty_anchor.feeds.spelling import plain, with_places
from zesty_anchor.operations.draft_address import place_of
from zesty_anchor.system.host import host
from zesty_anchor.system.problem import UsageProblem

SCRIPT = b"#!/bin/sh\necho gauge @\n"
SPELLED = {"x86_64": "amd64", "aarch64": "arm64"}[host().machine]
SYSTEM = {"linux": "Linux", "macos": "Darwin"}[host().system]


def zipped(version: str, top: str) -> bytes:
    """As a zip made elsewhere is: its members bear no mode."""
    made = io.BytesIO()
    with zipfile.ZipFile(made, "w") as archive:
        for name, content in (("gauge", SCRIPT.replace(b"@", version.encode())), ("README", b"high water\n")):
            info = zipfile.ZipInfo(f"{top}/{name}")
            info.external_attr = (0o755 if name == "gauge" else 0o644) << 16
            archive.writestr(info, content)
    return made.getvalue()


def page(names: list[str]) -> bytes:
    return "".join(f'<a href="{name}">{name}</a>' for name in names).encode()


def sums(files: dict[str, bytes]) -> bytes:
    return "".join(f"{hashlib.sha256(each).hexdigest()}  {name}\n" for name, each in files.items()).encode()


def flat(version: str) -> tuple[str, dict[str, bytes]]:
    files = {
        f"gauge_{each}_{SYSTEM}_{SPELLED}.zip": zipped(each, f"gauge-{each}")
        for each in (version, "2.0.9", "2.0.10")
    }
    return f"gauge_{version}_{SYSTEM}_{SPELLED}.zip", {
        **files,
        "SHA256SUMS": sums(files),
        "index.html": page(list(files)),
    }


def single(version: str) -> tuple[str, dict[str, bytes]]:
    """In folders, each with a list whose name has the tool's and the version."""
    files: dict[str, bytes] = {}
    for each in (version, "2.0.10"):
        name = f"gauge-{SYSTEM}-{SPELLED}"
        own = {name: SCRIPT.replace(b"@", each.encode())}
        files |= {f"v{each}/{n}": c for n, c in own.items()}
        files[f"v{each}/gauge_{each}_checksums.txt"] = sums(own)
        files[f"v{each}/index.html"] = page([name, f"gauge_{each}_checksums.txt"])
    files["index.html"] = page([f"v{version}/", "v2.0.10/"])
    return f"v{version}/gauge-{SYSTEM}-{SPELLED}", files


def without_digests(version: str) -> tuple[str, dict[str, bytes]]:
    files: dict[str, bytes] = {}
    for each in (version, "2.0.10"):
        archive = pack(f"gauge-{each}", {"bin/gauge": (SCRIPT.replace(b"@", each.encode()), 0o755)}, "tar.gz")
        files[f"{each}/gauge-{SYSTEM}-{SPELLED}.tar.gz"] = archive
        files[f"{each}/index.html"] = page([f"gauge-{SYSTEM}-{SPELLED}.tar.gz"])
    files["index.html"] = page([f"{version}/", "2.0.10/"])
    return f"{version}/gauge-{SYSTEM}-{SPELLED}.tar.gz", files


@pytest.mark.needs("bash")
@pytest.mark.parametrize("layout", [flat, single, without_digests])
def test_what_is_drafted_provisions(
    desk: Desk, make_feed: Callable[..., str], layout: Callable[[str], tuple[str, dict[str, bytes]]]
) -> None:
    """The newest version comes, which is another one than that of the address."""
    path, files = layout("2.0.2")
    url = make_feed(files)
    desk.manifest.unlink(missing_ok=True)
    desk.well("draft", f"{url}{path}")
    text = desk.manifest.read_text()
    assert "{system}" in text and "{machine}" in text, text
    assert ("binary = true" in text) == (layout is single)
    assert ("unpinned" in text) == (layout is without_digests)
    desk.write('as-root = "allowed"\nshells.use = ["bash"]\n' + text)
    desk.well("provision")
    assert desk.shell("bash", "gauge", "-i").strip() == "gauge 2.0.10"
    assert desk.run("verify").code == 0


def test_an_address_that_says_too_little_is_refused(desk: Desk, make_feed: Callable[..., str]) -> None:
    path, files = flat("2.0.2")
    desk.manifest.unlink(missing_ok=True)
    files["SHA256SUMS"] = b"0" * 64 + f"  {path}\n".encode()
    other = desk.run("draft", make_feed(files) + path)
    assert other.code == 1 and f"{path} is not the file that SHA256SUMS names" in other.err
    unknown = desk.run("draft", make_feed(files) + path.replace("2.0.2", "9.9.9"))
    assert (
        unknown.code == 2 and "lists no gauge_9.9.9" in unknown.err and "it lists gauge_2.0.2" in unknown.err
    )
    assert "cannot be reached" in desk.run("draft", f"http://127.0.0.1:1/{path}").err
    files["index.html"] = b"no list here"
    unlisted = desk.run("draft", make_feed(files) + path)
    assert unlisted.code == 2 and "does not list its files" in unlisted.err and "next:" in unlisted.err
    for wrong, why in (
        ("gauge.zip", "has a version in its name"),
        ("", "names no file"),
        ("1.2-linux.zip", "has a version in its name"),
        ("_1.2.zip", "does not begin with the name of a tool"),
    ):
        with pytest.raises(UsageProblem, match=why):
            place_of(f"http://127.0.0.1/{wrong}", "linux-x86_64")
    assert desk.run("draft", "http://127.0.0.1/a-1.2", "http://127.0.0.1/b-1.2").code == 2
    assert not desk.manifest.exists()


@pytest.mark.parametrize(
    ("name", "version", "folder", "file"),
    [
        ("kelp_1.2_linux_amd64.zip", "1.2", "", "{name}_{version}_{system}_{machine}.zip"),
        ("v1.2.3/kelp-linux-x64", "1.2.3", "", "v{version}/{name}-{system}-{machine}"),
        ("kelp-3.4.1-x86_64-unknown-linux-gnu.tar.gz", "3.4.1", "", "{name}-{version}-{machine}-unknown-{system}-gnu.tar.gz"),
        ("kelp-linux-arm64-v1.2.3.tgz", "1.2.3", "", "{name}-{system}-arm64-v{version}.tgz"),
        ("kelp/v1.2.0-rc.1/kelp_Linux_x86_64.tar.gz", "1.2.0-rc.1", "kelp/", "v{version}/{name}_{system}_{machine}.tar.gz"),
    ],
)  # fmt: skip
def test_an_address_is_taken_apart(name: str, version: str, folder: str, file: str) -> None:
    place = place_of(f"http://127.0.0.1/{name}", "linux-x86_64")
    assert (place.name, place.version, place.file) == ("kelp", version, file)
    assert place.folder == f"http://127.0.0.1/{folder}"


def test_systems_and_machines_are_spelled_in_many_ways() -> None:
    assert plain("gauge-Darwin-ARM64") == "gauge-macos-aarch64"
    assert plain("gauge-amd64x-linuxes") == "gauge-amd64x-linuxes", "whole words alone"
    assert with_places("gauge_linux_x64", "linux-x86_64") == "gauge_{system}_{machine}"
