"""The files that startup files read in their turn: where a person keeps lines apart."""

from __future__ import annotations

import re
from collections.abc import Mapping
from pathlib import Path

from zesty_anchor.files.text_file import TextFile, read_text_file
from zesty_anchor.system.problem import Problem

SOURCES = re.compile(r"""(?:^|[;&|]|\bthen|\bdo|\belse|\band|\bor)\s*\\?(?:\.|source)\s+(["']?)([^\s;"'&|<()]+)\1""")
"""A command that reads a file, with the file's name as written."""

_MOST = 200


def sourced_files(startup: Mapping[Path, TextFile], home: Path) -> dict[Path, TextFile]:
    """Files in the home that are read by name, directly or by one another, and are no startup files themselves; those
    too that fish reads when a function is called by their name (fish(1), "Autoloading functions").

    A name that depends on anything but the home is passed over: only a trace could tell it.
    """
    found: dict[Path, TextFile] = {}
    waiting = [file for file in startup.values() if file.content is not None]
    called = [path for file in startup if file.name == "config.fish" for path in file.parent.glob("functions/*.fish")]
    while (waiting or called) and len(found) < _MOST:
        named = _named(waiting.pop(), home) if waiting else [called.pop()]
        for path in named:
            if path in startup or path in found or not path.is_relative_to(home):
                continue
            try:
                found[path] = read_text_file(path)
            except Problem:
                continue
            if found[path].content is None:
                del found[path]
            else:
                waiting.append(found[path])
    return found


def _named(file: TextFile, home: Path) -> list[Path]:
    paths = []
    for row in (file.content or b"").decode("utf-8", "surrogateescape").splitlines():
        # A quick look: most rows hold neither word.
        if (". " not in row and ".\t" not in row and "source" not in row) or row.lstrip().startswith("#"):
            continue
        for sourced in SOURCES.finditer(row):
            name = resolved(sourced[2], home)
            if name is not None:
                paths.append(Path(name))
    return paths


def resolved(name: str, home: Path) -> str | None:
    """A file's name as written in a shell, with the home written out; None where it depends on more. Pure."""
    plain = re.sub(r"^~(?=/)|\$HOME\b|\$\{HOME\}", lambda _: str(home), name)
    return plain if plain.startswith("/") and not re.search(r"[$*?\[`]", plain) else None
