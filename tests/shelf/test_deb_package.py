"""Debian's binary packages: unpacked without privilege, and made one tree."""

from __future__ import annotations

import io
import os
import subprocess
from pathlib import Path

import pytest

from zesty_anchor.demo.archive import deb
from zesty_anchor.shelf.deb_package import merge, unpack_deb
from zesty_anchor.shelf.members import ArchiveRefused
from zesty_anchor.system.problem import Problem

HEAD = {
    "Package": "kelp",
    "Version": "4.2-1",
    "Architecture": "all",
    "Maintainer": "the tide desk <d@x.invalid>",
}
ROOT = "usr/lib/kelp-*"
CORE: dict[str, bytes | str] = {
    "usr/lib/kelp-4/bin/kelp": b"#!/bin/sh\n",
    "usr/lib/kelp-4/conf": "/etc/kelp-4",
    "usr/lib/kelp-4/trusted": "/etc/ssl/trusted",
    "usr/lib/kelp-4/lib/rules": "../conf/rules",
    "usr/lib/kelp": "kelp-4",
    "etc/kelp-4/rules": b"calm",
    "usr/share/doc/kelp/README": b"words",
}


def unpacked(folder: Path, *packages: dict[str, bytes | str]) -> list[Path]:
    trees = []
    for number, files in enumerate(packages):
        tree = folder / f"tree-{number}"
        tree.mkdir()
        unpack_deb(io.BytesIO(deb({**HEAD, "Description": "made up"}, files)), tree)
        trees.append(tree)
    return trees


def test_the_stand_in_makes_real_packages(tmp_path: Path) -> None:
    file = tmp_path / "kelp.deb"
    file.write_bytes(deb({**HEAD, "Description": "made up"}, CORE))
    told = subprocess.run(["dpkg-deb", "-c", str(file)], capture_output=True, text=True, check=True).stdout
    assert "./usr/lib/kelp-4/conf -> /etc/kelp-4" in told


def test_links_lead_into_the_version_where_a_package_brings_what_they_lead_to(tmp_path: Path) -> None:
    trees = unpacked(
        tmp_path, CORE, {"usr/lib/kelp-4/bin/kelp-pack": b"x", "usr/lib/kelp-4/share": "/usr/share/kelp-4"}
    )
    out = tmp_path / "out"
    out.mkdir()
    merge(trees, ROOT, out)
    assert (out / "conf/rules").read_bytes() == b"calm"
    assert os.readlink(out / "conf") == "package/etc/kelp-4", "relative, so that it may be renamed into place"
    assert (out / "lib/rules").read_bytes() == b"calm", "a link by way of another link"
    assert os.readlink(out / "trusted") == "/etc/ssl/trusted", "no package brings it: it is the system's"
    assert os.readlink(out / "share") == "/usr/share/kelp-4"
    assert (out / "package/usr/lib/kelp/bin/kelp").is_file()
    assert sorted(p.name for p in (out / "bin").iterdir()) == ["kelp", "kelp-pack"]
    assert not (out / "package/usr/share/doc").exists()
    out.rename(tmp_path / "elsewhere")
    assert (tmp_path / "elsewhere/lib/rules").read_bytes() == b"calm"


@pytest.mark.parametrize(
    ("packages", "reason"),
    [
        (
            ({"usr/lib/kelp-4/a": b"x"}, {"usr/lib/kelp-4/a": b"y"}),
            "another package of the version holds the same file",
        ),
        (({"usr/lib/kelp-4/a": b"x"}, {"usr/lib/kelp-4/a": "/etc/passwd"}), "holds the same file"),
        (({"usr/lib/kelp-4/a": "b", "usr/lib/kelp-4/b": "a"},), "round in a circle"),
        (({"usr/lib/kelp-4/a": "/etc", "usr/lib/kelp-4/a/passwd": b"x"},), "leads through a link"),
        (({"../outside": b"x"},), "leaves the archive's folder"),
        (({"etc/kelp": b"x"},), "hold no single folder"),
        (({"usr/lib/kelp-4/a": b"x", "usr/lib/kelp-5/a": b"x"},), "hold no single folder"),
    ],
)
def test_what_is_refused(tmp_path: Path, packages: tuple[dict[str, bytes | str], ...], reason: str) -> None:
    out = tmp_path / "out"
    out.mkdir()
    with pytest.raises((ArchiveRefused, Problem), match=reason):
        merge(unpacked(tmp_path, *packages), ROOT, out)
    assert not (tmp_path / "outside").exists()


def test_a_link_cannot_lead_a_second_package_out(tmp_path: Path) -> None:
    """The first has a link where the second has a folder: nothing is written through it."""
    goal = tmp_path / "goal"
    goal.mkdir()
    trees = unpacked(
        tmp_path, {"usr/lib/kelp-4/a": str(goal), "usr/lib/kelp-4/b": b"x"}, {"usr/lib/kelp-4/a/c": b"x"}
    )
    out = tmp_path / "out"
    out.mkdir()
    with pytest.raises(ArchiveRefused):
        merge(trees, ROOT, out)
    assert not list(goal.iterdir())


@pytest.mark.parametrize("spoil", ["cut", "header", "magic", "empty"])
def test_a_damaged_package_is_a_clear_error(tmp_path: Path, spoil: str) -> None:
    content = deb({**HEAD, "Description": "made up"}, CORE)
    spoilt = {
        "cut": content[: len(content) // 2], "header": content.replace(b"`\n", b"!!", 2),
        "magic": b"PK" + content, "empty": b"",
    }[spoil]  # fmt: skip
    with pytest.raises(Problem):
        unpack_deb(io.BytesIO(spoilt), tmp_path)
