"""Startup files: the block, and putting back what was there."""

from __future__ import annotations

import stat
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import bench_in
from zesty_anchor.changes.bench import Bench
from zesty_anchor.changes.record import FileRecord
from zesty_anchor.changes.shells.startup_block import Blocks, WriteBlock, with_block
from zesty_anchor.engine.undo import tidy
from zesty_anchor.files.edit import Edit
from zesty_anchor.files.text_file import read_text_file
from zesty_anchor.shells.guard import ends_always
from zesty_anchor.shells.reading import MARK
from zesty_anchor.system.problem import Problem

LINE = f"if true; then :; fi {MARK}".encode()
contents = st.binary(max_size=200).filter(lambda c: MARK.encode() not in c)


@given(contents)
def test_a_block_goes_in_once_and_comes_out_whole(content: bytes) -> None:
    once = with_block(content, LINE)
    assert once is not None
    assert once.startswith(content) or ends_always(content) is not None
    assert once.count(LINE) == 1
    assert with_block(once, LINE) == once
    out = with_block(once, None)
    goes_on = content.rstrip(b"\n").endswith(b"\\")  # a line of its own keeps ours apart
    assert out in (content, content + b"\n", *([content + b"\n\n"] if goes_on else []))


def test_a_wrong_block_is_repaired_in_its_place() -> None:
    old = b"a\r\nsource /old " + MARK.encode() + b"\r\nb\nagain " + MARK.encode() + b"\nno end"
    assert with_block(old, LINE) == b"a\r\n" + LINE + b"\nb\nno end"
    assert with_block(None, LINE) == LINE + b"\n"
    assert with_block(None, None) is None


@pytest.fixture
def bench(tmp_path: Path) -> Bench:
    return bench_in(tmp_path)


def change(file: Path, after: bytes | None) -> WriteBlock:
    return WriteBlock(Edit(read_text_file(file), after), str(file), None)


def edited(file: Path, after: bytes | None, bench: Bench) -> FileRecord:
    write = change(file, after)
    record = write.prepare(bench)
    write.carry_out(bench, record)
    return record


def put_back(record: FileRecord, bench: Bench) -> tuple[str, ...]:
    return Blocks().take_back(record, bench).notices


@pytest.mark.parametrize("before", [None, b"", b"a\n", b"caf\xe9\r\nno end", b"x\n" * 20_000])
def test_what_was_there_comes_back(before: bytes | None, tmp_path: Path, bench: Bench) -> None:
    file = tmp_path / "deep/er/.bashrc"
    if before is not None:
        file.parent.mkdir(parents=True)
        file.write_bytes(before)
        file.chmod(0o640)
    record = edited(file, (before or b"") + b"ours\n", bench)
    assert file.read_bytes() == (before or b"") + b"ours\n"
    assert not put_back(record, bench)
    tidy(record)
    assert (file.read_bytes() if file.exists() else None) == before
    assert file.exists() or not (tmp_path / "deep").exists()
    if before is not None:
        assert stat.S_IMODE(file.stat().st_mode) == 0o640
    assert not put_back(record, bench), "a second time is harmless"


def test_a_link_into_a_repository_stays_a_link(tmp_path: Path, bench: Bench) -> None:
    (tmp_path / "dotfiles").mkdir()
    (tmp_path / "dotfiles/bashrc").write_bytes(b"mine\n")
    link = tmp_path / ".bashrc"
    link.symlink_to("dotfiles/bashrc")
    record = edited(link, b"mine\nours\n", bench)
    assert link.is_symlink()
    assert (tmp_path / "dotfiles/bashrc").read_bytes() == b"mine\nours\n"
    put_back(record, bench)
    assert link.is_symlink()
    assert link.read_bytes() == b"mine\n"


def test_what_someone_added_meanwhile_stays(tmp_path: Path, bench: Bench) -> None:
    file = tmp_path / ".bashrc"
    file.write_bytes(b"one\ntwo\nthree\n")
    record = edited(file, b"one\ntwo\nthree\nours\n", bench)
    file.write_bytes(b"zero\none\ntwo\nthree\nours\nfour, later\n")
    told = put_back(record, bench)
    assert file.read_bytes() == b"zero\none\ntwo\nthree\nfour, later\n"
    assert "only our own part" in told[0]


def test_the_same_lines_changed_twice_are_left_alone(tmp_path: Path, bench: Bench) -> None:
    file = tmp_path / ".bashrc"
    file.write_bytes(b"export A=1\n")
    record = edited(file, b"export A=2\n", bench)
    file.write_bytes(b"export A=3\n")
    told = put_back(record, bench)
    assert file.read_bytes() == b"export A=3\n"
    assert "left as it is" in told[0]
    assert Path(told[0].rpartition(" ")[2]).read_bytes() == b"export A=1\n"


def test_a_file_that_moves_under_us_is_not_written(tmp_path: Path, bench: Bench) -> None:
    file = tmp_path / ".bashrc"
    file.write_bytes(b"one\n")
    write = change(file, b"one\nours\n")
    record = write.prepare(bench)
    file.write_bytes(b"two\n")
    with pytest.raises(Problem, match="changed by someone else"):
        write.carry_out(bench, record)
    assert file.read_bytes() == b"two\n"


def test_a_file_of_another_kind_is_told(tmp_path: Path) -> None:
    (tmp_path / "folder").mkdir()
    with pytest.raises(Problem, match="no regular file"):
        read_text_file(tmp_path / "folder")
    (tmp_path / "a").symlink_to("b")
    (tmp_path / "b").symlink_to("a")
    with pytest.raises(Problem, match="circle"):
        read_text_file(tmp_path / "a")
