"""Replacing files, keeping things in the attic, and moving them."""

from __future__ import annotations

import errno
import os
import stat
from pathlib import Path

import pytest

from tests.conftest import is_root
from zesty_anchor.files.attic import Attic
from zesty_anchor.files.replace import Changed, replace


def test_a_file_keeps_its_link_and_its_mode(tmp_path: Path) -> None:
    (tmp_path / "dotfiles").mkdir()
    real, link = tmp_path / "dotfiles/bashrc", tmp_path / ".bashrc"
    real.write_bytes(b"mine\n")
    real.chmod(0o640)
    link.symlink_to("dotfiles/bashrc")
    replace(link, b"ours\n")
    assert link.is_symlink() and real.read_bytes() == b"ours\n"
    assert stat.S_IMODE(real.stat().st_mode) == 0o640
    assert sorted(path.name for path in tmp_path.rglob("*")) == [".bashrc", "bashrc", "dotfiles"], (
        "nothing is left beside"
    )


def test_a_new_file_and_one_with_a_time_of_its_own(tmp_path: Path) -> None:
    file = tmp_path / "a"
    replace(file, b"1", 0o600)
    assert stat.S_IMODE(file.stat().st_mode) == 0o600
    replace(file, b"2", lasting=False, times_ns=(5_000_000_000, 7_000_000_000))
    assert (file.read_bytes(), file.stat().st_mtime_ns, stat.S_IMODE(file.stat().st_mode)) == (
        b"2",
        7_000_000_000,
        0o600,
    )


@pytest.mark.skipif(not is_root(), reason="giving a file away needs root")
def test_a_file_stays_its_owners(tmp_path: Path) -> None:
    file = tmp_path / "a"
    file.write_bytes(b"1")
    os.chown(file, 65534, 65534)
    file.chmod(0o4755)
    replace(file, b"2")
    assert (file.stat().st_uid, stat.S_IMODE(file.stat().st_mode)) == (65534, 0o4755)


def test_where_it_fails_the_file_is_as_it_was(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    file = tmp_path / "a"
    file.write_bytes(b"1")

    def full(handle: int) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "fsync", full)
    with pytest.raises(OSError, match="No space"):
        replace(file, b"2")
    assert file.read_bytes() == b"1" and os.listdir(tmp_path) == ["a"]


def test_a_name_in_the_attic_is_never_used_twice(tmp_path: Path) -> None:
    attic = Attic(tmp_path)
    kept = [attic.keep(".bashrc", b"1"), attic.keep(".bashrc", b"2"), attic.keep("profile", b"")]
    rooms = [attic.place("old-kelp"), attic.place("old-kelp"), attic.room("replaced")]
    names = [str(Path(path or "").relative_to(tmp_path)) for path in (*kept, *rooms)]
    assert names == [
        "001-bashrc",
        "002-bashrc",
        "001-profile",
        "001-folder/old-kelp",
        "002-folder/old-kelp",
        "001-replaced",
    ]
    assert attic.keep("nothing", None) is None
    assert Path(kept[0] or "").read_bytes() == b"1"
    assert stat.S_IMODE(Path(kept[0] or "").stat().st_mode) == 0o600
    assert stat.S_IMODE(rooms[0].parent.stat().st_mode) == 0o700


@pytest.fixture
def on_disk(monkeypatch: pytest.MonkeyPatch) -> list[str]:
    """What is done to the disk, in order: the names that are flushed, and each name that appears."""
    done: list[str] = []
    flush, rename = os.fsync, Path.replace

    def flushed(handle: int) -> None:
        done.append(f"flush {Path(os.readlink(f'/proc/self/fd/{handle}')).name.partition('.zesty')[0]}")
        flush(handle)

    def renamed(path: Path, target: Path) -> Path:
        done.append(f"rename to {target.name}")
        return rename(path, target)

    monkeypatch.setattr(os, "fsync", flushed)
    monkeypatch.setattr(Path, "replace", renamed)
    return done


def test_the_content_is_on_disk_before_the_name_and_the_name_before_it_returns(
    tmp_path: Path, on_disk: list[str]
) -> None:
    replace(tmp_path / "a", b"1")
    assert on_disk == ["flush .a", "rename to a", f"flush {tmp_path.name}"]
    on_disk.clear()
    replace(tmp_path / "a", b"2", lasting=False)
    assert on_disk == ["rename to a"]


def test_a_copy_in_the_attic_is_on_disk_when_it_is_named(tmp_path: Path, on_disk: list[str]) -> None:
    kept = Attic(tmp_path).keep("bashrc", b"mine\n")
    assert on_disk == [f"flush {Path(kept or '').name}", f"flush {tmp_path.name}"]


def test_what_goes_to_the_attic_is_noted_before_it_goes(tmp_path: Path) -> None:
    (tmp_path / "attic").mkdir()
    (tmp_path / "old").write_bytes(b"mine\n")
    there: list[bool] = []
    attic = Attic(tmp_path / "attic", lambda was, kept: there.append(Path(was).exists()))
    assert attic.away(tmp_path / "old").read_bytes() == b"mine\n"
    assert there == [True]


@pytest.mark.parametrize("instead_of", [b"mine\n", None])
def test_bytes_that_are_not_those_expected_are_left(tmp_path: Path, instead_of: bytes | None) -> None:
    file = tmp_path / "a"
    file.write_bytes(b"saved meanwhile\n")
    with pytest.raises(Changed):
        replace(file, b"ours\n", instead_of=instead_of)
    assert file.read_bytes() == b"saved meanwhile\n"
    assert [path.name for path in tmp_path.iterdir()] == ["a"]


def test_a_new_file_is_linked_into_place_so_that_it_never_overwrites(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Between the look and the name somebody makes the file."""
    link = os.link

    def late(source: str, target: str) -> None:
        Path(target).write_bytes(b"saved meanwhile\n")
        link(source, target)

    monkeypatch.setattr(os, "link", late)
    with pytest.raises(Changed):
        replace(tmp_path / "a", b"ours\n", instead_of=None)
    assert (tmp_path / "a").read_bytes() == b"saved meanwhile\n"


def test_without_hard_links_a_file_that_is_there_stays(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def refused(source: str, target: str) -> None:
        raise OSError(errno.EPERM, "no hard links here")

    monkeypatch.setattr(os, "link", refused)
    replace(tmp_path / "new", b"ours\n", instead_of=None)
    assert (tmp_path / "new").read_bytes() == b"ours\n"
    (tmp_path / "a").write_bytes(b"mine\n")
    with pytest.raises(Changed):
        replace(tmp_path / "a", b"ours\n", instead_of=None)
    assert (tmp_path / "a").read_bytes() == b"mine\n"
