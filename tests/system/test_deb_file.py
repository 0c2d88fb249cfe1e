"""A package's file made again from what is installed, with Debian's own dpkg and apt, as root."""

from __future__ import annotations

import os
import shutil
import subprocess
from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.conftest import is_root
from zesty_anchor.system.apt import Apt
from zesty_anchor.system.deb_file import deb_file
from zesty_anchor.system.problem import Problem

pytestmark = [
    pytest.mark.system,
    pytest.mark.skipif(
        not is_root() or shutil.which("apt-get") is None,
        reason="installing a package needs root and apt: not run",
    ),
]
NAME = "tide-quay"
FILES = {
    "DEBIAN/control": (
        f"Package: {NAME}\nVersion: 1:2.0~rc1-3\nArchitecture: all\nMaintainer: Tide desk <desk@localhost>\n"
        "Depends: dpkg\nDescription: a quay\n Made up,\n .\n in three lines.\n",
        0o644,
    ),
    "DEBIAN/conffiles": ("/etc/tide-quay.conf\n", 0o644),
    "DEBIAN/postinst": ("#!/bin/sh\ntouch /var/lib/tide-quay/ready\n", 0o755),
    "DEBIAN/postrm": ("#!/bin/sh\nrm -rf /var/lib/tide-quay\n", 0o755),
    "etc/tide-quay.conf": ("side=north\n", 0o640),
    "usr/bin/tide-quay": ("#!/bin/sh\necho quay\n", 0o2755),
    "usr/share/tide-quay/remarks": ("none\n", 0o644),
    "var/lib/tide-quay/readings": ("38\n", 0o600),
}
PLACES = [
    Path("/usr/bin/tide-quay"),
    Path("/etc/tide-quay.conf"),
    Path("/usr/share/tide-quay"),
    Path("/var/lib/tide-quay"),
]


@pytest.fixture
def installed(tmp_path: Path) -> Iterator[None]:
    tree = tmp_path / "tree"
    for path, (text, mode) in FILES.items():
        (tree / path).parent.mkdir(parents=True, exist_ok=True)
        (tree / path).write_text(text)
        (tree / path).chmod(mode)
    (tree / "usr/share/tide-quay/current").symlink_to("remarks")
    (tree / "usr/share/tide-quay/empty").mkdir(mode=0o750)
    for words in (
        ["dpkg-deb", "--root-owner-group", "--build", str(tree), str(tmp_path / "first.deb")],
        ["dpkg", "-i", str(tmp_path / "first.deb")],
    ):
        subprocess.run(words, check=True, capture_output=True)
    yield
    subprocess.run(["dpkg", "--purge", NAME], check=False, capture_output=True)


def standing() -> dict[str, tuple[int, str]]:
    """Every file of the package with its mode, and what it holds or leads to."""
    paths = [path for place in PLACES for path in (place, *(place.rglob("*") if place.is_dir() else ()))]
    return {
        str(path): (
            os.lstat(path).st_mode,
            os.readlink(path) if path.is_symlink() else path.read_text() if path.is_file() else "",
        )
        for path in paths
    }


def told() -> str:
    return subprocess.run(["dpkg-query", "-s", NAME], capture_output=True, text=True, check=True).stdout


def apt(*words: str) -> None:
    subprocess.run(["apt-get", "-y", "-q", *words], capture_output=True, check=True)


def test_a_package_that_came_as_a_file_comes_back_as_it_was(installed: None, tmp_path: Path) -> None:
    Path("/etc/tide-quay.conf").write_text("side=south\n")
    before, paragraph, manager = standing(), told(), Apt(os.environ)
    assert manager.is_alone(NAME, manager.versions([NAME])[NAME])
    file = deb_file(NAME, tmp_path / "attic", os.defpath)
    assert file.parent.joinpath(file.name).is_file()
    assert os.listdir(file.parent) == [f"{NAME}.deb"], "nothing else is left there"
    apt("purge", NAME)
    assert not any(place.exists() for place in PLACES)
    apt("install", str(file))
    assert standing() == before
    fields = [
        line for line in paragraph.splitlines() if not line.startswith(" /etc")
    ]  # the digest of what it held
    assert [line for line in told().splitlines() if not line.startswith(" /etc")] == fields
    apt("purge", NAME)
    assert not Path("/var/lib/tide-quay").exists(), "its scripts came along"


def test_a_version_of_an_archive_is_not_alone() -> None:
    manager = Apt(os.environ)
    listed = subprocess.run(
        ["apt-cache", "madison", "dpkg"], capture_output=True, text=True, check=True
    ).stdout
    assert not manager.is_alone("dpkg", listed.split("|")[1].strip())


def test_what_cannot_be_copied_as_it_is_is_refused(installed: None, tmp_path: Path) -> None:
    os.chown("/usr/share/tide-quay/remarks", 65534, 65534)
    with pytest.raises(Problem, match="/usr/share/tide-quay/remarks does not belong to root"):
        deb_file(NAME, tmp_path / "attic", os.defpath)
    Path("/usr/share/tide-quay/remarks").unlink()
    with pytest.raises(
        Problem, match=r"no copy of it can be made: /usr/share/tide-quay/remarks: No such file"
    ):
        deb_file(NAME, tmp_path / "attic", os.defpath)
    assert not os.listdir(tmp_path / "attic")
