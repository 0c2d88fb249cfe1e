"""File names and tags with a version in them, as a pattern that a person writes:
``kelp-{version}-{platform}.tar.gz``.
"""

from __future__ import annotations

import re

from zesty_anchor.feeds.spelling import plain

_PLACE = re.compile(r"\{(\w+)\}")
_VERSION = r"v?\d[0-9A-Za-z._+-]*?"


def places(product: str, platform: str) -> dict[str, str]:
    """What stands for the places of a pattern, but for the version."""
    system, _, machine = platform.partition("-")
    return {"name": product, "platform": platform, "system": system, "machine": machine}


def filled(pattern: str, known: dict[str, str]) -> str:
    """A pattern with its known places filled in; others stay."""
    return _PLACE.sub(lambda found: known.get(found[1], found[0]), pattern)


def counted(version: str, pattern: str) -> str:
    """What of a version's text counts by a recipe's pattern, a regular expression with one group (empty: all
    of it); empty where the text does not fit. Pure.
    """
    found = re.fullmatch(pattern, version) if pattern else None
    return (found[1] if found else "") if pattern else version


def version_in(name: str, pattern: str, known: dict[str, str]) -> str:
    """The version in a name that fits the pattern; empty where it does not fit. A system or a machine may be
    spelled in another way.
    """
    found = _fitting(name, pattern, known)
    return found or (_fitting(plain(name), pattern, known) if plain(name) != name else "")


def _fitting(name: str, pattern: str, known: dict[str, str]) -> str:
    text = filled(pattern, known)
    parts = _PLACE.split(text)
    expression = "".join(
        re.escape(part) if place % 2 == 0 else f"({_VERSION})" if part == "version" else ".*?"
        for place, part in enumerate(parts)
    )
    found = re.fullmatch(expression, name)
    return found[1] if found and found.groups() else ""
