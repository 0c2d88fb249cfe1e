"""Archives that do harm: each is refused with a reason, within bounds, and nothing of it is anywhere else."""

from __future__ import annotations

import os
from pathlib import Path

import pytest

from tests.hostile.archives import ATTACKS, bombs
from tests.hostile.measured import note, unpack

MEMORY = 150_000_000
DISK = 400 << 20
"""More than the bounds let through before they are seen: 64 MiB, or 200 times the archive."""
BOMBS = bombs()
ALL = os.environ.get("ZESTY_ANCHOR_HOSTILE") == "all"
SLOW = ("gz: members without end",)
"""A million members take a minute: scripts/hostile runs it. What follows the end of an archive is not even
read.
"""
HARMLESS = ("a folder in place of its file", "setuid folder")
"""What tar(1) makes something of, or has no effect: let in, or refused."""


@pytest.mark.parametrize("name", ATTACKS)
def test_an_attack_is_refused(name: str, tmp_path: Path) -> None:
    found = unpack(ATTACKS[name], tmp_path)
    assert found.said or name in HARMLESS, "it was let in"
    assert "Traceback" not in found.said
    assert found.kind in ("ArchiveRefused", "Problem", ""), found
    assert found.memory < MEMORY
    assert sorted(path.name for path in tmp_path.iterdir()) == ["archive", "out"]
    note(f"archive: {name}", found.memory, found.disk, found.seconds)


@pytest.mark.parametrize("name", [name for name in BOMBS if ALL or name not in SLOW])
def test_a_bomb_does_not_go_off(name: str, tmp_path: Path) -> None:
    found = unpack(BOMBS[name](), tmp_path)
    assert found.said or name.endswith("blocks of zeros"), "it was let in"
    assert found.memory < MEMORY, f"{found.memory / 1e6:.0f} MB"
    assert found.disk < DISK, f"{found.disk / 1e6:.0f} MB"
    note(f"bomb: {name}", found.memory, found.disk, found.seconds)


def test_there_are_enough() -> None:
    assert len(BOMBS) >= 40
    assert len(ATTACKS) >= 60
