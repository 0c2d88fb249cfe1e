"""A program that was just written, while another one that was started just then still has it open."""

from __future__ import annotations

import os
import subprocess
import time
from collections.abc import Iterator
from pathlib import Path

import pytest

from zesty_anchor.system.closed import wait_until_closed


@pytest.fixture
def busy(tmp_path: Path) -> Iterator[Path]:
    """A program that a child holds for a moment, as every child does that is about to begin."""
    file = tmp_path / "kelp"
    with file.open("w") as written:
        written.write("#!/bin/sh\necho kelp 4.2.1\n")
        written.flush()
        file.chmod(0o755)
        child = os.fork()
        if child == 0:
            time.sleep(0.3)
            os._exit(0)
    yield file
    os.waitpid(child, 0)


def test_it_can_be_run_afterwards(busy: Path) -> None:
    with pytest.raises(OSError, match="Text file busy"):
        subprocess.run([busy], check=True)
    wait_until_closed([busy])
    assert subprocess.run([busy], capture_output=True, check=True).stdout == b"kelp 4.2.1\n"


def test_nothing_is_waited_for_that_cannot_be_asked_about(tmp_path: Path) -> None:
    began = time.monotonic()
    wait_until_closed([tmp_path / "nothing", tmp_path, Path("/bin/sh")])
    assert time.monotonic() - began < 1
