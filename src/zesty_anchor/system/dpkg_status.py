"""Reading dpkg's record of what is installed (deb822(5), dpkg(1) "INFORMATION ABOUT PACKAGES"). Pure."""

from __future__ import annotations

import re
from collections.abc import Collection

_NAME = re.compile(rb"^Package: (\S+)$", re.MULTILINE)
_STATUS = re.compile(rb"^Status: (\S+) (\S+) (\S+)$", re.MULTILINE)
_VERSION = re.compile(rb"^Version: (\S+)$", re.MULTILINE)
_DEPENDS = re.compile(rb"^(?:Pre-)?Depends: (.*)$", re.MULTILINE)
_PROVIDES = re.compile(rb"^Provides: (.*)$", re.MULTILINE)

_ESSENTIAL = re.compile(rb"^(?:Essential|Protected): yes$", re.MULTILINE)

UNFINISHED = frozenset(
    {b"half-installed", b"unpacked", b"half-configured", b"triggers-awaited", b"triggers-pending"}
)
"""The states in which an interrupted dpkg leaves a package."""


def stanzas(status: bytes) -> list[tuple[str, bytes, bytes, bytes]]:
    """Each package as its name, what is wanted of it (``install``, ``hold``…), its state, and its whole
    text.
    """
    found = []
    for stanza in status.split(b"\n\n"):
        name, state = _NAME.search(stanza), _STATUS.search(stanza)
        if name and state:
            found.append((name[1].decode(), state[1], state[3], stanza))
    return found


def essential(status: bytes, names: Collection[str]) -> set[str]:
    """Those of ``names`` that are installed and that the system cannot do without (deb-control(5),
    "Essential" and "Protected").
    """
    return {
        name for name, _, state, stanza in stanzas(status)
        if name in names and state == b"installed" and _ESSENTIAL.search(stanza)
    }  # fmt: skip


def installed(status: bytes) -> frozenset[str]:
    """The names of all packages that are installed."""
    return frozenset(name for name, _, state, _ in stanzas(status) if state == b"installed")


def versions(status: bytes, names: Collection[str]) -> dict[str, str]:
    """The versions of those of ``names`` that are installed."""
    return {
        name: version[1].decode() for name, _, state, stanza in stanzas(status)
        if name in names and state == b"installed" and (version := _VERSION.search(stanza))
    }  # fmt: skip


def standing(status: bytes, names: Collection[str]) -> tuple[frozenset[str], frozenset[str], list[str]]:
    """Of ``names``: those installed, by themselves or as what an installed package provides, and those on
    hold without being installed. Then the names of all packages that an interrupted dpkg left unfinished.
    """
    wanted = {name.partition(":")[0] for name in names}
    here: set[str] = set()
    held: set[str] = set()
    unfinished: list[str] = []
    for name, want, state, stanza in stanzas(status):
        if state == b"installed":
            if name in wanted:
                here.add(name)
            provides = _PROVIDES.search(stanza)
            if provides:
                here |= _names(provides[1]) & wanted
        elif name in wanted and want == b"hold":
            held.add(name)
        if state in UNFINISHED:
            unfinished.append(name)
    return frozenset(here), frozenset(held), unfinished


def needed_by(status: bytes, names: Collection[str]) -> set[str]:
    """The installed packages that some others need, directly or through others, with every alternative that
    is here.
    """
    installed = {name: stanza for name, _, state, stanza in stanzas(status) if state == b"installed"}
    providers: dict[str, set[str]] = {name: {name} for name in installed}
    for name, stanza in installed.items():
        for given in _PROVIDES.findall(stanza):
            for virtual in _names(given):
                providers.setdefault(virtual, set()).add(name)
    found: set[str] = set()
    left = [name for name in names if name in installed]
    while left:
        for depends in _DEPENDS.findall(installed[left.pop()]):
            for need in _names(depends):
                fresh = providers.get(need, set()) - found
                found |= fresh
                left += fresh
    return found


def _names(field: bytes) -> set[str]:
    """The names in a list of packages (deb-control(5), Depends), without versions, architectures and
    alternatives' bars.
    """
    return {
        part.split()[0].partition(":")[0]
        for part in field.decode().replace("|", ",").split(",")
        if part.strip()
    }
