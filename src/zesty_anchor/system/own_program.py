"""This program itself, as others must call it."""

from __future__ import annotations

import sys
from collections.abc import Mapping
from pathlib import Path

from zesty_anchor.system.host import answering

_NAMES = ("zesty-anchor", "za")


def own_words(called: str, environ: Mapping[str, str]) -> tuple[str, ...]:
    """The words that start this program from anywhere: its script, or else the interpreter and the package.

    ``called`` is what it was started as. Where that is no script, the one that pip put beside the interpreter
    counts, so that the words are the same however the program was started (``python -m zesty_anchor``).
    """
    on_path = [] if "/" in called else answering(called, environ.get("PATH", ""))
    found = Path(*on_path[:1] or [called]).absolute()
    folders = [found.parent] if found.name in _NAMES else _script_folders()
    script = next((folder / _NAMES[0] for folder in folders if (folder / _NAMES[0]).is_file()), None)
    return (str(script),) if script else (sys.executable, "-m", "zesty_anchor")


def _script_folders() -> list[Path]:
    """Where pip puts scripts, for all or for the user alone."""
    import sysconfig

    schemes = (sysconfig.get_default_scheme(), sysconfig.get_preferred_scheme("user"))
    return [Path(sysconfig.get_path("scripts", scheme)) for scheme in schemes]
