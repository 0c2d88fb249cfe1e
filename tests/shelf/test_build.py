"""Running a build's steps: what they print, how they end, and that they end with the run."""

from __future__ import annotations

import os
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import pytest

from zesty_anchor.shelf import build as module
from zesty_anchor.shelf.build import BuildFailed, build


def run(tmp_path: Path, step: str, **more: object) -> list[str]:
    told: list[str] = []
    build(
        [step],
        ("a b",),
        tmp_path,
        {"PATH": os.defpath},
        tmp_path / "log",
        told.append,
        lambda line: "",
        **more,
    )  # type: ignore[arg-type]
    return told


def test_each_line_is_told_and_kept(tmp_path: Path) -> None:
    told = run(tmp_path, 'printf "%s\\r\\nno end" "$1"')
    assert [line.partition(": ")[2] for line in told] == ["a b", "no end"]
    assert (tmp_path / "log").read_text().splitlines()[1:] == ["a b", "no end"]


def test_a_line_without_an_end_takes_no_memory(tmp_path: Path) -> None:
    told = run(tmp_path, "head -c 3000000 /dev/zero | tr '\\0' x")
    assert len(told) > 10 and all(len(line) < 200 for line in told)


def test_an_interruption_ends_it_with_all_that_it_started(tmp_path: Path) -> None:
    stop = threading.Event()
    threading.Timer(0.3, stop.set).start()
    began = time.monotonic()
    with pytest.raises(KeyboardInterrupt):
        run(tmp_path, f"sleep 60 & echo $! >{tmp_path}/child; wait", interrupted=stop.is_set)
    assert time.monotonic() - began < 5
    child = int((tmp_path / "child").read_text())
    for _ in range(100):
        state = Path(f"/proc/{child}/stat")
        if not state.exists() or state.read_text().split()[2] == "Z":
            return
        time.sleep(0.02)
    pytest.fail("what the step started is still there")


def test_silence_ends_it(tmp_path: Path) -> None:
    with pytest.raises(BuildFailed, match="it said nothing for 0 s, and was ended"):
        run(tmp_path, "sleep 60", patience=0.3)


def test_a_step_begins_only_when_its_end_is_seen_to(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Were we killed between its start and that, it would go on, and nobody would know what it did."""
    ends_with_us, begun = module._ends_with_us, tmp_path / "begun"

    @contextmanager
    def seen_to(group: int) -> Iterator[None]:
        time.sleep(0.5)
        assert not begun.exists()
        with ends_with_us(group):
            yield

    monkeypatch.setattr(module, "_ends_with_us", seen_to)
    run(tmp_path, ">begun; cat")
    assert begun.exists(), "and has nothing to read"
