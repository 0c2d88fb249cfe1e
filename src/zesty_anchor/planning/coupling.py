"""Runtimes that run on another one: which versions of the two go together. Pure."""

from __future__ import annotations

import re
from collections.abc import Collection
from pathlib import Path

from zesty_anchor.manifest.model import SYSTEM
from zesty_anchor.manifest.pin import meets
from zesty_anchor.manifest.recipe import Coupled
from zesty_anchor.manifest.version import Version
from zesty_anchor.system.problem import UsageProblem


def may_run(coupled: Coupled | None, version: str, below: Collection[str]) -> bool:
    """Whether one of the versions ``below`` is one that a version runs on, or it needs none."""
    needed = line_below(coupled, version)
    return coupled is None or not needed or any(_fits(coupled, needed, v) for v in below)


def runs_on(name: str, version: str, coupled: Coupled | None, below: Collection[str], manifest: Path) -> str:
    """The version of another runtime that a version runs on, as ``NAME VERSION``; empty where it needs none.

    ``below`` are the versions that the manifest wants of that other one; the system's own begins with
    ``system``, and is on PATH anyway. Raises ``UsageProblem`` where none of them fits.
    """
    needed = line_below(coupled, version)
    if coupled is None or not needed:
        return ""
    fitting = [v for v in below if _fits(coupled, needed, v)]
    if not fitting:
        there = ", ".join(below) or "none"
        raise UsageProblem(
            f"{name} {version} runs on {coupled.runtime} {needed}, and the manifest wants {coupled.runtime}"
            f" {there}",
            where=str(manifest),
            advice=(
                f'write want = "{needed}" (or also = ["{needed}"]) in [runtimes.{coupled.runtime}], '
                f"or choose another {name}"
            ),
        )
    return f"{coupled.runtime} {fitting[0]}" if not fitting[0].startswith(SYSTEM) else ""


def line_below(coupled: Coupled | None, version: str) -> str:
    """The line of the other runtime that a version names in its own, or the range that the recipe has for its
    line; empty where there is none.
    """
    if coupled is None:
        return ""
    if coupled.ranges:
        own = Version(version)
        return next((needed for line, needed in coupled.ranges.items() if own.begins_with(Version(line))), "")
    found = re.search(coupled.version, version)
    return found[1] if found else ""


def _fits(coupled: Coupled, needed: str, version: str) -> bool:
    version = version.removeprefix(SYSTEM).strip()
    if not version:  # nothing says the version of the system's own: the checks will
        return True
    return meets(needed, "npm", version) if coupled.ranges else Version(version).begins_with(Version(needed))
