"""Versions by their lines."""

from __future__ import annotations

from collections.abc import Iterable

_MANY = 40


def by_line(versions: Iterable[str]) -> dict[str, list[str]]:
    """Versions by their lines, in their order: the first two numbers, or the first alone where those are more
    than 40. Pure.
    """
    listed = list(versions)
    groups: dict[str, list[str]] = {}
    for width in (2, 1):
        groups = {}
        for version in listed:
            groups.setdefault(".".join(version.split("-")[0].split(".")[:width]), []).append(version)
        if len(groups) <= _MANY:
            break
    return groups
