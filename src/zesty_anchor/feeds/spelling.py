"""How file names spell the system and the machine that they are for."""

from __future__ import annotations

import re

_SPELLINGS = {
    "x86_64": ("amd64", "x64", "x86-64", "x86_64"),
    "aarch64": ("arm64", "aarch64", "armv8"),
    "linux": ("linux",),
    "macos": ("darwin", "macos", "osx"),
}
"""What stands for one of our words (uname(1), ``-s`` and ``-m``, in small letters), in any letters."""
_WORDS = {word: plain for plain, words in _SPELLINGS.items() for word in words}
_FOUND = re.compile(
    rf"(?<![A-Za-z0-9])(?:{'|'.join(sorted(_WORDS, key=len, reverse=True))})(?![A-Za-z0-9])", re.IGNORECASE
)


def plain(name: str) -> str:
    """A name with our words for systems and machines. Pure."""
    return _FOUND.sub(lambda found: _WORDS[found[0].lower()], name)


def with_places(name: str, platform: str) -> str:
    """A name with ``{system}`` and ``{machine}`` where it spells those of a platform. Pure."""
    system, _, machine = platform.partition("-")
    places = {system: "{system}", machine: "{machine}"}
    return _FOUND.sub(lambda found: places.get(_WORDS[found[0].lower()], found[0]), name)


def first_word(name: str) -> int:
    """Where the first of such words begins; the end of the name where there is none. Pure."""
    found = _FOUND.search(name)
    return found.start() if found else len(name)
