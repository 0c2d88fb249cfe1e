"""The workers that write small files."""

from __future__ import annotations

import os
import stat
from pathlib import Path

import pytest

from zesty_anchor.shelf.writer import Writer


def test_all_that_was_put_is_there_with_mode_and_time(tmp_path: Path) -> None:
    with Writer() as writer:
        for number in range(500):
            mode = 0o755 if number % 2 else 0o644
            writer.put(str(tmp_path / str(number)), lambda n=number: b"%d" % n * 50, mode, 1e9 + number)
    for number in range(500):
        state = (tmp_path / str(number)).stat()
        assert (tmp_path / str(number)).read_bytes() == b"%d" % number * 50
        assert stat.S_IMODE(state.st_mode) == (0o755 if number % 2 else 0o644)
        assert state.st_mtime == 1e9 + number


def test_an_error_in_a_worker_comes_out(tmp_path: Path) -> None:
    with pytest.raises(FileNotFoundError), Writer() as writer:
        writer.put(str(tmp_path / "none/x"), lambda: b"", 0o644, 0)
    with pytest.raises(ZeroDivisionError), Writer() as writer:
        writer.put(str(tmp_path / "x"), lambda: b"%d" % (1 // 0), 0o644, 0)
        writer.settle()
    (tmp_path / "link").symlink_to(tmp_path / "elsewhere")
    with pytest.raises(FileExistsError), Writer() as writer:
        writer.put(str(tmp_path / "link"), lambda: b"", 0o644, 0)
    assert not (tmp_path / "elsewhere").exists(), "a link is never written through"


def test_a_strict_mask_is_made_up_for(tmp_path: Path) -> None:
    old = os.umask(0o077)
    try:
        with Writer() as writer:
            writer.put(str(tmp_path / "x"), lambda: b"", 0o755, 0)
    finally:
        os.umask(old)
    assert stat.S_IMODE((tmp_path / "x").stat().st_mode) == 0o755
