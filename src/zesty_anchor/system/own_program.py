"""This program itself, as others must call it."""

from __future__ import annotations

import shutil
import sys
from pathlib import Path

_NAMES = ("zesty-anchor", "za")


def own_words() -> tuple[str, ...]:
    """The words that start this program from anywhere: its script, or else the interpreter and the package."""
    called = Path(shutil.which(sys.argv[0]) or sys.argv[0])
    script = called.absolute().with_name(_NAMES[0])
    if called.name in _NAMES and script.is_file():
        return (str(script),)
    return (sys.executable, "-m", "zesty_anchor")
