"""A kept build serves again only where every byte of it is as it was kept."""

from __future__ import annotations

from pathlib import Path

from zesty_anchor.shelf.kept_builds import KeptBuilds, Made


def test_a_kept_build_comes_back(tmp_path: Path) -> None:
    builds, built, out = KeptBuilds(tmp_path / "builds"), tmp_path / "built", tmp_path / "out"
    built.mkdir()
    out.mkdir()
    (built / "kelp").write_bytes(b"high water\n")
    builds.keep("key", built, Made("/shelf/kelp/4"))
    made = builds.restore("key", out)
    assert made is not None and made.prefix == "/shelf/kelp/4"
    assert (out / "kelp").read_bytes() == b"high water\n"
    assert builds.restore("other", out) is None


def test_one_that_was_changed_does_not(tmp_path: Path) -> None:
    builds, built, out = KeptBuilds(tmp_path / "builds"), tmp_path / "built", tmp_path / "out"
    other = KeptBuilds(tmp_path / "other")
    built.mkdir()
    out.mkdir()
    (built / "kelp").write_bytes(b"high water\n")
    builds.keep("key", built, Made("/shelf/kelp/4"))
    (built / "kelp").write_bytes(b"something else\n")
    other.keep("key", built, Made("/shelf/kelp/4"))
    (tmp_path / "other/key.tar.zst").rename(tmp_path / "builds/key.tar.zst")
    assert builds.restore("key", out) is None
    assert list(out.iterdir()) == []
