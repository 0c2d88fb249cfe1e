"""Asking a shell whether it can read a text. Nothing in it is run."""

from __future__ import annotations

import subprocess
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from zesty_anchor.system.room import room

_SECONDS = 20


@contextmanager
def apart() -> Iterator[tuple[Path, dict[str, str]]]:
    """A folder that does not last, for a program that only reads, and its environment.

    The home in that does not last either: fish makes folders in its home, and tells at length where it
    cannot.
    """
    with room("check") as folder:
        home = folder / "home"
        home.mkdir()
        yield folder, {"HOME": str(home), "LC_ALL": "C"}


def passes(checker: tuple[str, str], content: bytes) -> tuple[bool, str]:
    """Whether a shell accepts a text, and what it says first.

    ``checker`` is the shell's program, and its option that only reads (``-n``). Raises ``OSError`` and
    ``subprocess.TimeoutExpired`` where it cannot be asked.
    """
    with apart() as (folder, environment):
        file = folder / "text"
        file.write_bytes(content)
        answer = subprocess.run(
            [*checker, str(file)], stdin=subprocess.DEVNULL, capture_output=True, timeout=_SECONDS,
            check=False,
            env=environment,
        )  # fmt: skip
    said = (answer.stderr or answer.stdout).decode("utf-8", "replace").replace(str(file), "").strip(" ~:\n")
    return answer.returncode == 0, said.splitlines()[0] if said else ""
