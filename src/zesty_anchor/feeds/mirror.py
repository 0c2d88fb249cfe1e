"""A mirror: a folder that any web server serves, with what feeds would be asked for, by its address there."""

from __future__ import annotations

import re
from collections.abc import Mapping

import msgspec

from zesty_anchor.feeds.not_there import NotThere
from zesty_anchor.files.digest import digest_of
from zesty_anchor.system.problem import Problem

VARIABLE = "ZESTY_ANCHOR_MIRROR"
"""The variable that names a mirror where the manifest names none."""
REGISTRIES = "registries.json"
"""The file that names the registries of extras, by their kind."""
_FILES = "files"
_DOCUMENT = "@document"
_LONGEST = 200


def place_of(address: str) -> str:
    """The path in a mirror of what is at an address: its host and its path, with whatever a file's name, or
    an address, would take for something else replaced. Pure.
    """
    from urllib.parse import urlsplit

    parts = urlsplit(address)
    names = [parts.netloc.rpartition("@")[2], *parts.path.split("/")]
    if parts.query:
        names[-1] += f"@{parts.query}"
    return "/".join((_FILES, *(_named(name) for name in names if name)))


def document_place(address: str) -> str:
    """The path in a mirror of a registry's document, which may be at the address of a folder too. Pure."""
    return f"{place_of(address)}/{_DOCUMENT}"


def _named(name: str) -> str:
    plain = re.sub(r"[^A-Za-z0-9._@+=~-]", "_", name)
    if plain == name and not name.startswith(".") and len(name) <= _LONGEST:
        return name
    # Two names that look the same must not become one.
    return f"{plain.lstrip('.')[: _LONGEST - 18]}-{digest_of(name.encode())[:16]}"


class Mirror(msgspec.Struct, frozen=True):
    """A mirror at ``url``, which is asked first; where it is the ``only`` one, nothing else is asked."""

    url: str
    only: bool = False

    def at(self, address: str) -> str | None:
        """Where it has what is at an address; None for an address that no web server has."""
        if not address.startswith(("http://", "https://")) or address.startswith(f"{self.url.rstrip('/')}/"):
            return None
        return self.file(place_of(address))

    def file(self, path: str) -> str:
        """The address of a file of the mirror."""
        from urllib.parse import quote

        return f"{self.url.rstrip('/')}/{quote(path)}"

    def lacks(self, address: str, problem: Problem) -> Problem:
        """What to say where the only mirror does not have, or does not give, something."""
        if not isinstance(problem, NotThere):
            return problem
        return NotThere(
            "the mirror does not have it, and the manifest says to ask nobody else ([mirror] only)",
            where=f"{address}, at {self.url}",
            advice="add it where the mirror is made: zesty-anchor mirror FOLDER",
        )


def mirror_around(environ: Mapping[str, str]) -> Mirror | None:
    """The mirror that the environment names; None where it names none."""
    found = environ.get(VARIABLE, "")
    return Mirror(found) if found.startswith(("http://", "https://")) else None
