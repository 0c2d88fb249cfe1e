"""Builds that go on side by side share the cores: with the real make."""

from __future__ import annotations

import os
import threading
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest

from zesty_anchor.shelf.build import build, build_environment
from zesty_anchor.shelf.jobserver import Jobserver, cores, knows_jobserver

MAKEFILE = (
    "all: a b c d\na b c d:\n\t@echo + >>{log}; sleep 0.2; echo - >>{log}\n"
    "deep: all\n\t@$(MAKE) --no-print-directory all\n"
)


def built(
    folder: Path, log: Path, server: Jobserver | None, target: str = "all", jobs: int | None = None
) -> list[str]:
    folder.mkdir()
    (folder / "Makefile").write_text(MAKEFILE.format(log=log))
    told: list[str] = []
    environment = build_environment(
        out=folder, prefix=folder, room=folder, jobs=jobs, jobserver=server, version="1", earlier=None,
        path=os.defpath, more={},
    )  # fmt: skip
    step = f"make $PARALLEL {target}"
    build([step], (), folder, environment, folder / "log", told.append, lambda line: "", jobserver=server)
    return told


def most_at_once(log: Path) -> int:
    now = most = 0
    for sign in log.read_text().split():
        now += 1 if sign == "+" else -1
        most = max(most, now)
    return most


@pytest.mark.needs("make")
@pytest.mark.parametrize("size", [2, 3])
def test_builds_together_run_no_more_than_there_are_cores(size: int, tmp_path: Path) -> None:
    server, log = Jobserver(size), tmp_path / "jobs"
    with ThreadPoolExecutor(4) as pool:
        told = list(pool.map(lambda n: built(tmp_path / f"{n}", log, server, "deep"), range(4)))
    assert log.read_text().count("+") == 4 * 8
    assert most_at_once(log) == size
    waited = sum("waiting for other builds" in line for each in told for line in each)
    assert 4 - size <= waited <= 3  # a make that began first may have the jobs that another would begin with


@pytest.mark.needs("make")
def test_one_build_has_all_cores(tmp_path: Path) -> None:
    log = tmp_path / "jobs"
    built(tmp_path / "one", log, Jobserver(3))
    assert most_at_once(log) == 3


@pytest.mark.needs("make")
def test_what_the_manifest_says_counts_first(tmp_path: Path) -> None:
    log = tmp_path / "jobs"
    built(tmp_path / "one", log, Jobserver(4), jobs=1)
    assert most_at_once(log) == 1


@pytest.mark.needs("make")
def test_what_a_killed_build_had_taken_comes_back(tmp_path: Path) -> None:
    server, log = Jobserver(2), tmp_path / "jobs"
    with server.job(lambda: False, lambda: None):
        os.read(server.pipe[0], 1)
    built(tmp_path / "one", log, server)
    assert most_at_once(log) == 2


def test_a_build_that_waits_can_be_interrupted() -> None:
    server, stop = Jobserver(1), threading.Event()
    with server.job(lambda: False, lambda: None):
        threading.Timer(0.1, stop.set).start()
        began = time.monotonic()
        with pytest.raises(KeyboardInterrupt), server.job(stop.is_set, lambda: None):
            pass
    assert time.monotonic() - began < 5


@pytest.mark.needs("make")
def test_a_make_that_does_not_know_it_gets_a_number(tmp_path: Path) -> None:
    assert knows_jobserver({"PATH": os.defpath})
    old = tmp_path / "make"
    old.write_text("#!/bin/sh\necho GNU Make 3.81\n")
    old.chmod(0o755)
    assert not knows_jobserver({"PATH": f"{tmp_path}:{os.defpath}"})
    assert not knows_jobserver({"PATH": "/nowhere"})
    environment = build_environment(
        out=tmp_path, prefix=tmp_path, room=tmp_path, jobs=None, jobserver=None, version="1", earlier=None,
        path="", more={},
    )  # fmt: skip
    assert environment["PARALLEL"] == f"-j{cores()}" and "MAKEFLAGS" not in environment


def test_a_build_leaves_the_processor_to_others_first(tmp_path: Path) -> None:
    told: list[str] = []
    build(["nice"], (), tmp_path, {"PATH": os.defpath}, tmp_path / "log", told.append, lambda line: "")
    assert told[-1].endswith(": 10")
