"""Runtimes that run on another one: which versions of the two go together. Pure."""

from __future__ import annotations

import re
from collections.abc import Collection
from pathlib import Path

from zesty_anchor.manifest.recipe import Coupled
from zesty_anchor.manifest.version import Version
from zesty_anchor.system.problem import UsageProblem


def may_run(coupled: Coupled | None, version: str, below: Collection[str]) -> bool:
    """Whether one of the versions ``below`` is one that a version runs on, or it needs none."""
    line = line_below(coupled, version)
    return not line or any(Version(v).begins_with(Version(line)) for v in below)


def runs_on(name: str, version: str, coupled: Coupled | None, below: Collection[str], manifest: Path) -> str:
    """The version of another runtime that a version runs on, as ``NAME VERSION``; empty where it needs none.

    ``below`` are the versions that the manifest wants of that other one. Raises ``UsageProblem`` where none of them fits.
    """
    line = line_below(coupled, version)
    if coupled is None or not line:
        return ""
    fitting = [v for v in below if Version(v).begins_with(Version(line))]
    if not fitting:
        there = ", ".join(below) or "none"
        raise UsageProblem(
            f"{name} {version} runs on {coupled.runtime} {line}, and the manifest wants {coupled.runtime} {there}",
            where=str(manifest),
            advice=f'write want = "{line}" (or also = ["{line}"]) in [runtimes.{coupled.runtime}], '
            f"or choose another {name}",
        )
    return f"{coupled.runtime} {fitting[0]}"


def line_below(coupled: Coupled | None, version: str) -> str:
    """The line of the other runtime that a version names in its own; empty where it names none."""
    found = re.search(coupled.version, version) if coupled else None
    return found[1] if found else ""
