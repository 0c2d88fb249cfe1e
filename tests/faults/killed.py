"""Runs the program, and kills it at one of its journal's boundaries: just before or just after it writes
something down.

    python killed.py BOUNDARY COUNT_FILE WORDS...

Boundaries are counted from 1; at 0 it is not killed. How many there were is written to COUNT_FILE.
"""

from __future__ import annotations

import functools
import os
import signal
import sys
import threading
from collections.abc import Callable
from pathlib import Path
from typing import Any

from zesty_anchor import commands
from zesty_anchor.engine.journal import Journal

WRITES = (
    "begin_run",
    "end_run",
    "begin",
    "noted",
    "taken_back",
    "keep",
    "let_go",
    "run_taken_back",
    "resolve",
)
"""What writes to the journal."""


class Boundaries:
    def __init__(self, wanted: int, count: Path) -> None:
        self._wanted = wanted
        self._count = count
        self._passed = 0
        self._lock = threading.Lock()

    def pass_one(self) -> None:
        with self._lock:
            self._passed += 1
            if self._passed == self._wanted:
                os.kill(os.getpid(), signal.SIGKILL)
            if self._wanted == 0:
                self._count.write_text(str(self._passed))

    def around(self, write: Callable[..., Any]) -> Callable[..., Any]:
        @functools.wraps(write)
        def written(*given: Any, **named: Any) -> Any:
            self.pass_one()
            result = write(*given, **named)
            self.pass_one()
            return result

        return written


def main() -> None:
    boundary, count, program, *words = sys.argv[1:]
    boundaries = Boundaries(int(boundary), Path(count))
    for name in WRITES:
        setattr(Journal, name, boundaries.around(getattr(Journal, name)))
    sys.argv = [program, *words]
    commands.run()


if __name__ == "__main__":
    main()
