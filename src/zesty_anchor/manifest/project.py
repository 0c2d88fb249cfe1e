"""A project's own manifest: it pins versions, and may set variables in its folder."""

from __future__ import annotations

import re
import tomllib
from typing import Any

import msgspec

from zesty_anchor.manifest.position import line_of
from zesty_anchor.manifest.reserved import why_reserved

_MOST = 64
"""As many variables a project may set, each with as many letters as ``_LONGEST``."""
_LONGEST = 4096
_NAME = re.compile(r"[A-Za-z_][A-Za-z0-9_]*")
_RULES = ("LD_", "DYLD_", "BASH_FUNC_")
"""Beginnings of names that decide which code a program loads (ld.so(8), bash(1))."""


class ProjectVariable(msgspec.Struct, frozen=True):
    """A variable that a project sets: ``line`` is where. ``wrong`` is why it may not; then it is not set."""

    name: str
    value: str
    line: int
    wrong: str = ""


def is_project(text: str) -> bool:
    """Whether a manifest only pins versions and sets variables, so that it can be a project's: it says
    nothing of the machine.
    """
    raw = _read(text)
    if raw is None:
        return False
    runtimes, variables = raw.get("runtimes", {}), raw.get("variables", {})
    return (
        raw.keys() <= {"title", "runtimes", "variables"}
        and isinstance(runtimes, dict)
        and all(isinstance(each, dict) and each.keys() <= {"want"} for each in runtimes.values())
        and isinstance(variables, dict)
        and all(isinstance(each, str) for each in variables.values())
    )


def project_variables(text: str) -> list[ProjectVariable]:
    """The variables of a project's manifest, as plain text; none where it says something of the machine too.
    Pure.
    """
    if not is_project(text):
        return []
    values = (_read(text) or {}).get("variables", {})
    found = [
        ProjectVariable(name, value, line_of(text, ("variables", name)), _wrong(name, value))
        for name, value in values.items()
    ]
    return found[:_MOST]


def _wrong(name: str, value: str) -> str:
    if not _NAME.fullmatch(name):
        return f"sets {name[:40]!r}, which is not the name of a variable"
    if name.startswith(_RULES):
        return f"cannot set {name}: it decides which code programs load"
    if why := why_reserved(name)[0]:
        return f"cannot set {name}: {why}"
    if "\0" in value or len(value) > _LONGEST:
        return f"cannot set {name}: its value is {'too long' if len(value) > _LONGEST else 'no text'}"
    if "{" in value:
        return f"cannot set {name}: a project's value is plain text, without {{…}}"
    return ""


def _read(text: str) -> dict[str, Any] | None:
    try:
        return tomllib.loads(text)
    except (ValueError, RecursionError):
        return None
