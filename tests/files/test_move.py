"""Moving, between file systems too: whole or not at all, and the same afterwards."""

from __future__ import annotations

import errno
import os
import shutil
import tempfile
from collections.abc import Iterator
from pathlib import Path

import pytest

from zesty_anchor.files import move as moving
from zesty_anchor.files.move import finish_move, move, same


@pytest.fixture
def elsewhere(tmp_path: Path) -> Iterator[Path]:
    """A folder on another file system than the tests' own."""
    for top in ("/dev/shm", "/var/tmp", "/run"):
        if os.access(top, os.W_OK) and os.stat(top).st_dev != tmp_path.stat().st_dev:
            with tempfile.TemporaryDirectory(dir=top) as name:
                yield Path(name)
            return
    pytest.fail("no second file system to be written: /dev/shm, /var/tmp and /run are all on one")


def old_install(folder: Path) -> Path:
    (folder / "bin").mkdir(parents=True)
    (folder / "bin/kelp").write_bytes(b"#!/bin/sh\n")
    (folder / "bin/kelp").chmod(0o4755)
    os.link(folder / "bin/kelp", folder / "bin/kelp-again")
    (folder / "link").symlink_to("bin")
    (folder / "closed").mkdir()
    (folder / "closed/in").write_text("in\n")
    os.utime(folder / "closed/in", (1, 1))
    os.mkfifo(folder / "pipe")
    (folder / "closed").chmod(0o500)
    if os.geteuid() == 0:
        os.chown(folder / "bin/kelp", 65534, 65534)
        (folder / "bin/kelp").chmod(0o4755)
    return folder


def test_between_file_systems_it_is_the_same_afterwards(tmp_path: Path, elsewhere: Path) -> None:
    old = old_install(tmp_path / "old")
    was = (old / "bin/kelp").stat()
    move(old, elsewhere / "old")
    assert not os.path.lexists(old)
    now = (elsewhere / "old/bin/kelp").stat()
    assert (now.st_mode, now.st_uid, now.st_gid) == (was.st_mode, was.st_uid, was.st_gid)
    assert now.st_ino == (elsewhere / "old/bin/kelp-again").stat().st_ino, "hard links stay together"
    assert (elsewhere / "old/closed/in").stat().st_mtime == 1
    assert os.readlink(elsewhere / "old/link") == "bin"
    assert (elsewhere / "old/pipe").is_fifo()
    move(elsewhere / "old", tmp_path / "old")
    assert (tmp_path / "old/bin/kelp").stat().st_mode == was.st_mode
    assert sorted(path.name for path in tmp_path.iterdir()) == ["old"]
    assert list(elsewhere.iterdir()) == []


def test_a_move_between_file_systems_keeps_all(tmp_path: Path, elsewhere: Path) -> None:
    old = tmp_path / "old"
    (old / "bin").mkdir(parents=True)
    (old / "bin/kelp").write_bytes(b"#!/bin/sh\n")
    (old / "bin/kelp").chmod(0o755)
    (old / "link").symlink_to("bin/kelp")
    (old / "shut").mkdir(mode=0o500)
    shutil.copytree(old, tmp_path / "copy", symlinks=True)
    move(old, elsewhere / "kept")
    assert not old.exists()
    assert same(tmp_path / "copy", elsewhere / "kept")
    assert os.access(elsewhere / "kept/bin/kelp", os.X_OK) and (elsewhere / "kept/link").is_symlink()
    move(elsewhere / "kept/link", tmp_path / "link")
    assert os.readlink(tmp_path / "link") == "bin/kelp" and not same(tmp_path / "copy", elsewhere / "kept")


class Cut(BaseException):
    """The program is killed here."""


@pytest.mark.parametrize("step", ["copy", "flush_tree", "same", "flush_folder", "discard_any"])
def test_cut_off_anywhere_a_whole_one_is_there(
    tmp_path: Path, elsewhere: Path, step: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    """``discard_any`` is what takes the source away, bit by bit."""
    old, target = old_install(tmp_path / "old"), elsewhere / "old"
    whole = tmp_path / "whole"
    old_install(whole)

    def cut(*given: object) -> None:
        if step == "discard_any" and not str(given[0]).endswith("-going"):
            return
        if step == "discard_any" and os.path.lexists(str(given[0])):
            (Path(str(given[0])) / "bin/kelp").unlink()
        elif step == "discard_any":
            return
        raise Cut

    with monkeypatch.context() as patched:
        patched.setattr(moving, step, cut)
        with pytest.raises(Cut):
            move(old, target)
    assert any(os.path.lexists(path) and same(path, whole) for path in (old, target))
    if os.path.lexists(old):
        assert same(old, whole), "the source is never seen half"
    finish_move(old, target)
    assert not [path for path in tmp_path.iterdir() if path.name.endswith("-going")]
    assert os.path.lexists(old) or same(target, whole)


def test_what_changes_while_it_is_copied_stays(
    tmp_path: Path, elsewhere: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    old = old_install(tmp_path / "old")
    copy = moving.copy

    def meanwhile(source: Path, target: Path) -> None:
        copy(source, target)
        (old / "bin/kelp").write_bytes(b"mine\n")

    monkeypatch.setattr(moving, "copy", meanwhile)
    with pytest.raises(OSError, match="changed while it was copied"):
        move(old, elsewhere / "old")
    assert (old / "bin/kelp").read_bytes() == b"mine\n"
    assert list(elsewhere.iterdir()) == []


def test_a_copy_that_was_cut_off_goes_with_the_next_try(tmp_path: Path, elsewhere: Path) -> None:
    """A program that is killed takes nothing away itself."""
    old = old_install(tmp_path / "old")
    half, of_another = elsewhere / ".old.zesty-anchor-1", elsewhere / ".older.zesty-anchor-1"
    for again in (lambda: finish_move(old, elsewhere / "old"), lambda: move(old, elsewhere / "old")):
        (half / "bin").mkdir(parents=True)
        os.utime(half, (1, 1))
        of_another.mkdir(exist_ok=True)
        again()
        assert not half.exists() and of_another.is_dir()
    assert (elsewhere / "old/bin/kelp").is_file()


def test_only_another_file_system_is_copied_to(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """What the system refuses for another reason is refused; nothing is copied around it."""
    (tmp_path / "a").write_bytes(b"mine\n")

    def refused(source: Path, target: Path) -> Path:
        if source.name == "a":
            raise OSError(errno.EACCES, "not allowed")
        os.rename(source, target)
        return target

    monkeypatch.setattr(Path, "rename", refused)
    with pytest.raises(OSError, match="not allowed"):
        move(tmp_path / "a", tmp_path / "b")
    assert [path.name for path in tmp_path.iterdir()] == ["a"]


def test_what_is_left_of_a_source_stays_while_no_whole_copy_is_there(tmp_path: Path) -> None:
    going = tmp_path / ".a.zesty-anchor-going"
    going.write_bytes(b"mine\n")
    finish_move(tmp_path / "a", tmp_path / "b")
    assert going.read_bytes() == b"mine\n"
    (tmp_path / "b").write_bytes(b"mine\n")
    finish_move(tmp_path / "a", tmp_path / "b")
    assert not going.exists()
