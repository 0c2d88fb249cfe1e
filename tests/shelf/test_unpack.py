"""Archives: what is let in, and what is refused."""

from __future__ import annotations

import io
import os
import stat
import tarfile
import zipfile
from collections.abc import Callable
from pathlib import Path

import pytest

from zesty_anchor.demo.wares import pack
from zesty_anchor.files.removal import discard
from zesty_anchor.shelf.members import ArchiveRefused
from zesty_anchor.shelf.place import content, take_off
from zesty_anchor.shelf.unpack import unpack_tar, unpack_zip
from zesty_anchor.system.problem import Problem

FILES = {"bin/kelp": (b"#!/bin/sh\n", 0o755), "share/a b": (b"x" * 700_000, 0o600), "empty": (b"", 0o644)}


class Trickle(io.RawIOBase):
    """Bytes that arrive in small pieces."""

    def __init__(self, content: bytes) -> None:
        self._left = content

    def read(self, size: int = -1) -> bytes:
        given, self._left = self._left[: min(size, 777)], self._left[min(size, 777) :]
        return given


@pytest.mark.parametrize("kind", ["tar.gz", "tar.xz", "tar.bz2", "tar.zst", "zip"])
def test_every_kind_of_archive(kind: str, tmp_path: Path) -> None:
    archive = pack("top", FILES, kind)
    if kind == "zip":
        (tmp_path / "a.zip").write_bytes(archive)
        unpack_zip(tmp_path / "a.zip", tmp_path / "out")
    else:
        unpack_tar(Trickle(archive), tmp_path / "out")
    top = content(tmp_path / "out")
    assert top.name == "top"
    assert {str(p.relative_to(top)): p.read_bytes() for p in top.rglob("*") if p.is_file()} == {
        name: data for name, (data, _) in FILES.items()
    }
    assert stat.S_IMODE((top / "bin/kelp").stat().st_mode) == 0o755
    assert stat.S_IMODE((top / "share/a b").stat().st_mode) == 0o644


def tar_of(*members: tuple[tarfile.TarInfo, bytes]) -> bytes:
    plain = io.BytesIO()
    with tarfile.open(fileobj=plain, mode="w") as archive:
        for info, data in members:
            info.size = len(data)
            archive.addfile(info, io.BytesIO(data))
    return plain.getvalue()


def member(
    name: str, kind: bytes = tarfile.REGTYPE, mode: int = 0o644, link: str = ""
) -> tuple[tarfile.TarInfo, bytes]:
    info = tarfile.TarInfo(name)
    info.type, info.mode, info.linkname = kind, mode, link
    return info, b"data" if kind == tarfile.REGTYPE else b""


BAD_TARS = {
    "a path that leaves": ([member("a/../../out")], "leaves"),
    "an absolute path": ([member("/etc/passwd")], "absolute path"),
    "a link to outside": ([member("a/l", tarfile.SYMTYPE, link="../../x")], "outside"),
    "a link to an absolute path": ([member("l", tarfile.SYMTYPE, link="/etc")], "absolute"),
    "a path through a link": ([member("l", tarfile.SYMTYPE, link="."), member("l/x")], "through a link"),
    "a chain of links": (
        [member("a/b/d", tarfile.SYMTYPE, link="../.."), member("a/b/l", tarfile.SYMTYPE, link="d/../x")],
        "outside",
    ),
    "a hard link to outside": ([member("h", tarfile.LNKTYPE, link="../x")], "leaves"),
    "a hard link to a link": (
        [member("l", tarfile.SYMTYPE, link="x"), member("h", tarfile.LNKTYPE, link="l")],
        "no file",
    ),
    "a device file": ([member("d", tarfile.BLKTYPE)], "a device file"),
    "a pipe": ([member("p", tarfile.FIFOTYPE)], "a named pipe"),
    "a setuid file": ([member("s", mode=0o4755)], "setuid"),
    "a setgid file": ([member("s", mode=0o2755)], "setgid"),
}


@pytest.mark.parametrize("name", BAD_TARS)
def test_a_bad_tar_is_refused_and_says_why(name: str, tmp_path: Path) -> None:
    members, why = BAD_TARS[name]
    out = tmp_path / "in/out"
    out.mkdir(parents=True)
    with pytest.raises(ArchiveRefused, match=why) as caught:
        unpack_tar(io.BytesIO(tar_of(member("good"), *members)), out)
    assert caught.value.advice
    assert not (tmp_path / "x").exists()
    assert sorted(p.name for p in (tmp_path / "in").iterdir()) == ["out"]


@pytest.mark.parametrize(
    ("name", "mode", "data", "why"),
    [
        ("../x", 0o100644, b"", "leaves"),
        ("/x", 0o100644, b"", "absolute"),
        ("l", 0o120777, b"../../x", "outside"),
        ("s", 0o104755, b"", "setuid"),
        ("d", 0o060644, b"", "special"),
    ],
)
def test_a_bad_zip_is_refused(name: str, mode: int, data: bytes, why: str, tmp_path: Path) -> None:
    with zipfile.ZipFile(tmp_path / "a.zip", "w") as archive:
        info = zipfile.ZipInfo(name)
        info.external_attr = mode << 16
        archive.writestr(info, data)
    (tmp_path / "out").mkdir()
    with pytest.raises(ArchiveRefused, match=why):
        unpack_zip(tmp_path / "a.zip", tmp_path / "out")


def test_links_that_stay_inside_are_kept(tmp_path: Path) -> None:
    (tmp_path / "out").mkdir()
    archive = tar_of(
        member("bin/x"),
        member("bin/y", tarfile.SYMTYPE, link="x"),
        member("z", tarfile.LNKTYPE, link="bin/x"),
    )
    unpack_tar(io.BytesIO(archive), tmp_path / "out")
    assert os.readlink(tmp_path / "out/bin/y") == "x"
    assert (tmp_path / "out/z").samefile(tmp_path / "out/bin/x")


@pytest.mark.parametrize(
    "spoil",
    [
        lambda a: a[:-900],
        lambda a: a[:40] + b"\0" * 60 + a[100:],
        lambda a: b"<html>no</html>",
        lambda a: b"",
    ],
)
def test_damage_is_told(spoil: Callable[[bytes], bytes], tmp_path: Path) -> None:
    for kind in ("tar.gz", "tar.xz", "tar.bz2"):
        out = tmp_path / kind
        out.mkdir()
        with pytest.raises(Problem, match="archive"):
            unpack_tar(io.BytesIO(spoil(pack("top", FILES, kind))), out)


def test_taking_off_removes_folders_without_write_permission(tmp_path: Path) -> None:
    target = tmp_path / "shelf/kelp/4"
    (target / "sealed").mkdir(parents=True)
    (target / "sealed/x").write_text("")
    (target / "sealed").chmod(0o500)
    (tmp_path / "staging").mkdir()
    gone = take_off(target, tmp_path / "staging")
    assert gone is not None
    assert not target.exists()
    discard(gone)
    assert not list((tmp_path / "staging").iterdir())
    discard(target)


def test_a_damaged_zst_is_told(tmp_path: Path) -> None:
    content = pack("kelp", FILES, "tar.zst")
    with pytest.raises(Problem, match="cannot be unpacked"):
        unpack_tar(io.BytesIO(content[:40] + b"\xff" * 40 + content[80:]), tmp_path)


def encrypted(content: bytes) -> bytes:
    """A zip with the flag of an encrypted member in each header (APPNOTE.TXT, 4.4.4)."""
    changed = bytearray(content)
    for magic, at in ((b"PK\x03\x04", 6), (b"PK\x01\x02", 8)):
        place = content.find(magic)
        while place >= 0:
            changed[place + at] |= 1
            place = content.find(magic, place + 1)
    return bytes(changed)


def test_an_encrypted_zip_is_told(tmp_path: Path) -> None:
    file = tmp_path / "kelp.zip"
    file.write_bytes(encrypted(pack("kelp", {"bin/kelp": (b"#!/bin/sh\n", 0o755)}, "zip")))
    (tmp_path / "out").mkdir()
    with pytest.raises(Problem, match="encrypted"):
        unpack_zip(file, tmp_path / "out")
