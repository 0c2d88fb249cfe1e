"""Values from outside the manifest: ``{env:NAME}`` is replaced by a variable of the environment that the
program is called in, ``{file:PATH}`` by the first line of a file.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from pathlib import Path
from typing import Any

_REFERENCE = re.compile(r"\{(\{)?(env|file):([^{}\x00-\x1f]+)\}(?(1)\})")
_LONGEST = 4096
"""Bytes of a line that a value may have."""


class Unknown(ValueError):
    """What a reference names is not there: what is missing, and what to do."""

    def __init__(self, what: str, advice: str) -> None:
        super().__init__(what)
        self.what, self.advice = what, advice


def with_outside(value: Any, environ: Mapping[str, str], home: Path, folder: Path) -> Any:
    """A value of a manifest in ``folder`` with what its references stand for; lists and tables with those of
    each of their texts. ``{{env:NAME}}`` gives ``{env:NAME}``. Raises ``Unknown``.
    """
    if isinstance(value, dict):
        return {key: with_outside(each, environ, home, folder) for key, each in value.items()}
    if isinstance(value, list | tuple):
        return type(value)(with_outside(each, environ, home, folder) for each in value)
    if not isinstance(value, str) or "{" not in value:
        return value

    def found(reference: re.Match[str]) -> str:
        escaped, kind, name = reference.groups()
        if escaped:
            return reference[0][1:-1]
        return _variable(name, environ) if kind == "env" else _first_line(name, home, folder)

    return _REFERENCE.sub(found, value)


def _variable(name: str, environ: Mapping[str, str]) -> str:
    if name not in environ:
        raise Unknown(
            f"the environment has no variable {name}",
            f"set it before you call zesty-anchor: {name}=… zesty-anchor provision",
        )
    return environ[name]


def _first_line(name: str, home: Path, folder: Path) -> str:
    file = home / name[2:] if name.startswith("~/") else folder / name
    try:
        with file.open("rb") as opened:
            line = opened.readline(_LONGEST + 1).rstrip(b"\r\n")
    except OSError as error:
        raise Unknown(f"{file} cannot be read: {error.strerror}", "write its one line first") from None
    if len(line) > _LONGEST or b"\0" in line:
        raise Unknown(f"the first line of {file} is no value: it is too long, or binary", "name a text file")
    try:
        return line.decode("utf-8")
    except UnicodeDecodeError:
        raise Unknown(f"the first line of {file} is not in UTF-8", "name a text file") from None
