"""This program itself, as others must call it."""

from __future__ import annotations

import shutil
import sys
from collections.abc import Mapping
from contextlib import suppress
from pathlib import Path

from zesty_anchor.system.host import answering
from zesty_anchor.system.problem import UsageProblem

_NAMES = ("zesty-anchor", "za")
MARK = "single-file"
"""The file at the top of the folder that the program in one file was unpacked into."""


def own_words(called: str, environ: Mapping[str, str]) -> tuple[str, ...]:
    """The words that start this program from anywhere: its script, or else the interpreter and the package.

    ``called`` is what it was started as. Where that is no script, the one that pip put beside the interpreter
    counts, so that the words are the same however the program was started (``python -m zesty_anchor``). Of
    the program in one file it is that file, whatever its name.
    """
    on_path = [] if "/" in called else answering(called, environ.get("PATH", ""))
    found = Path(*on_path[:1] or [called]).absolute()
    folder = unpacked()
    if folder is not None:
        if found.is_file() and not found.is_relative_to(folder):
            return (str(found),)
        # The demo starts it so, in a home that knows no file of it.
        return (sys.executable, "-I", str(folder / "bin" / _NAMES[0]))
    folders = [found.parent] if found.name in _NAMES else _script_folders()
    script = next((folder / _NAMES[0] for folder in folders if (folder / _NAMES[0]).is_file()), None)
    return (str(script),) if script else (sys.executable, "-m", "zesty_anchor")


def unpacked() -> Path | None:
    """The folder that the program in one file was unpacked into; None where it was installed (by pip)."""
    folder = Path(sys.prefix)
    return folder if (folder / MARK).is_file() else None


def remove_program(called: str, environ: Mapping[str, str]) -> list[str]:
    """Remove the program in one file: that file, and each version of it that is unpacked beside the one that
    runs. Returns what was removed. Raises ``UsageProblem`` for a program that pip installed, ``OSError``
    where something cannot be removed.
    """
    folder = unpacked()
    if folder is None:
        raise UsageProblem(
            "this program was installed by pip, so pip removes it",
            advice=f"{sys.executable} -m pip uninstall zesty-anchor",
        )
    file = own_words(called, environ)[0]
    versions = [each for each in folder.parent.iterdir() if (each / MARK).is_file()]
    for each in versions:
        shutil.rmtree(each)
    with suppress(OSError):  # somebody put something else there
        folder.parent.rmdir()
    Path(file).unlink()
    return [*map(str, versions), file]


def _script_folders() -> list[Path]:
    """Where pip puts scripts, for all or for the user alone."""
    import sysconfig

    schemes = (sysconfig.get_default_scheme(), sysconfig.get_preferred_scheme("user"))
    return [Path(sysconfig.get_path("scripts", scheme)) for scheme in schemes]
