"""How file names spell the system and the machine that they are for."""

from __future__ import annotations

import re

_SPELLINGS = {
    "x86_64": ("amd64", "x64", "x86-64", "x86_64"),
    "aarch64": ("arm64", "aarch64", "armv8"),
    "linux": ("linux",),
    "macos": ("darwin", "macos", "osx"),
}
"""Our words for systems and machines (as uname(1) prints most of them), each with the spellings in file
names. Case does not matter there.
"""
_WORDS = {spelling: word for word, spellings in _SPELLINGS.items() for spelling in spellings}
_FOUND = re.compile(
    rf"(?<![A-Za-z0-9])(?:{'|'.join(sorted(_WORDS, key=len, reverse=True))})(?![A-Za-z0-9])", re.IGNORECASE
)


def plain(name: str) -> str:
    """A name with each spelling replaced by our word. Pure."""
    return _FOUND.sub(lambda found: _WORDS[found[0].lower()], name)


def with_places(name: str, platform: str) -> str:
    """A name with ``{system}`` and ``{machine}`` where it spells those of a platform. Pure."""
    system, _, machine = platform.partition("-")
    places = {system: "{system}", machine: "{machine}"}
    return _FOUND.sub(lambda found: places.get(_WORDS[found[0].lower()], found[0]), name)


def first_word(name: str) -> int:
    """Where the first system or machine in a name begins; its end where there is none. Pure."""
    found = _FOUND.search(name)
    return found.start() if found else len(name)
