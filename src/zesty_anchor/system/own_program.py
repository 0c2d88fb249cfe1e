"""This program itself, as others must call it."""

from __future__ import annotations

import shutil
import sys
import sysconfig
from collections.abc import Mapping
from pathlib import Path

_NAMES = ("zesty-anchor", "za")


def own_words(called: str, environ: Mapping[str, str]) -> tuple[str, ...]:
    """The words that start this program from anywhere: its script, or else the interpreter and the package.

    ``called`` is what it was started as. Where that is no script, the one that pip put beside the interpreter counts, so
    that the words are the same however the program was started (``python -m zesty_anchor``).
    """
    found = Path(shutil.which(called, path=environ.get("PATH")) or called).absolute()
    schemes = (sysconfig.get_default_scheme(), sysconfig.get_preferred_scheme("user"))
    folders = [found.parent] if found.name in _NAMES else [Path(sysconfig.get_path("scripts", s)) for s in schemes]
    script = next((folder / _NAMES[0] for folder in folders if (folder / _NAMES[0]).is_file()), None)
    return (str(script),) if script else (sys.executable, "-m", "zesty_anchor")
