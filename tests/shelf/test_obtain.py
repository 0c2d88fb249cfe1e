"""A download is what was promised, or nothing of it stays."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.conftest import packed_runtime
from zesty_anchor.shelf.download import DigestDiffers, obtain
from zesty_anchor.system.problem import Problem

ARCHIVE = packed_runtime("kelp", "4.2.1")
DIGEST = f"sha256:{hashlib.sha256(ARCHIVE).hexdigest()}"


class Answer:
    """A server's answer; ``given`` counts how often one was asked for."""

    given = 0

    def __init__(self, content: bytes) -> None:
        self.content, self.size = content, None
        Answer.given += 1

    def chunks(self, size: int) -> Iterator[bytes]:
        for at in range(0, len(self.content), 50):
            yield self.content[at : at + 50]

    def close(self) -> None:
        """Nothing."""


def fetched(room: Path, content: bytes, digest: str = DIGEST, size: int | None = None) -> str:
    (room / "out").mkdir(exist_ok=True)
    return obtain(
        lambda: Answer(content), digest, size, room / "kept", room / "out", lambda done, total: None
    )


def test_what_was_promised_is_unpacked_and_kept(tmp_path: Path) -> None:
    assert fetched(tmp_path, ARCHIVE) == DIGEST
    assert list((tmp_path / "out").rglob("kelp"))
    assert (tmp_path / "kept").read_bytes() == ARCHIVE
    before = Answer.given
    (tmp_path / "again").mkdir()
    obtain(lambda: Answer(b""), DIGEST, None, tmp_path / "kept", tmp_path / "again", lambda a, b: None)
    assert Answer.given == before, "the kept one serves"
    assert list((tmp_path / "again").rglob("kelp"))


def test_another_digest_is_refused(tmp_path: Path) -> None:
    with pytest.raises(DigestDiffers, match="differs from the one that the feed gives"):
        fetched(tmp_path, packed_runtime("kelp", "9.9.9"))
    assert not (tmp_path / "kept").exists()


def test_a_kept_file_that_was_changed_is_fetched_again(tmp_path: Path) -> None:
    (tmp_path / "kept").write_bytes(packed_runtime("kelp", "9.9.9"))
    before = Answer.given
    assert fetched(tmp_path, ARCHIVE) == DIGEST
    assert Answer.given == before + 1
    assert (tmp_path / "kept").read_bytes() == ARCHIVE


def test_more_than_was_announced_is_refused(tmp_path: Path) -> None:
    with pytest.raises(Problem, match="more arrives than"):
        fetched(tmp_path, ARCHIVE, size=len(ARCHIVE) - 60)
    assert not (tmp_path / "kept").exists()


def test_less_than_was_announced_is_told_as_that(tmp_path: Path) -> None:
    with pytest.raises(Problem, match="the download ended early"):
        fetched(tmp_path, ARCHIVE[:-60], size=len(ARCHIVE))
