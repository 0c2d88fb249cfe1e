"""The files that startup files read in their turn: where a person keeps lines apart."""

from __future__ import annotations

import glob
import re
from collections.abc import Iterator, Mapping
from pathlib import Path

from zesty_anchor.files.text_file import TextFile, read_text_file
from zesty_anchor.system.problem import Problem

SOURCES = re.compile(
    r"""(?:^|[;&|({]|\bthen|\bdo|\belse|\band|\bor)\s*\\?(?:\.|source)\s+("(?:[^"\\\n]|\\.)+"|'[^'\n]+'|(?:[^\s;"'&|<()\\]|\\.)+)"""
)
"""A command that reads a file, with the file's name as written."""
_LOOP = re.compile(r"\bfor\s+(\w+)\s+in\s+([^;\n]+)|\bforeach\s+(\w+)\s*\(([^)\n]+)\)")
_QUALIFIER = re.compile(r"\([\w./^@*=+-]*\)$")
"""What follows a pattern of zsh (zshexpn(1), "Glob Qualifiers")."""
_SET = re.compile(
    r"(?:^|[;&]|\bexport|\btypeset|\blocal)\s*(\w+)=(\"[^\"`\n]*\"|'[^'\n]*'|[^\s;&|`(\"']+)", re.MULTILINE
)
_FISH_SET = re.compile(r"^\s*set\s+(?:-\w+\s+)*(\w+)\s+(\S+)\s*$", re.MULTILINE)

_MOST = 200


def sourced_files(startup: Mapping[Path, TextFile], home: Path) -> dict[Path, TextFile]:
    """Files in the home that are read by name, by pattern or in a loop, directly or by one another, and are
    no startup files themselves; those too that fish reads when a function is called by their name (fish(1),
    "Autoloading functions").

    A name may hold variables that a line of these files sets to a plain text. One that depends on more is
    passed over: only a trace could tell it.
    """
    found: dict[Path, TextFile] = {}
    waiting = [file for file in startup.values() if file.content is not None]
    values: dict[str, str] = {}
    for file in waiting:
        values |= _values(file, home, values)
    called = [
        path
        for file in startup
        if file.name == "config.fish"
        for path in file.parent.glob("functions/*.fish")
    ]
    while (waiting or called) and len(found) < _MOST:
        named = list(_named(waiting.pop(), home, values)) if waiting else [called.pop()]
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
                values |= _values(found[path], home, values)
                waiting.append(found[path])
    return found


def _text(file: TextFile) -> str:
    return (file.content or b"").decode("utf-8", "surrogateescape")


def _values(file: TextFile, home: Path, known: Mapping[str, str]) -> dict[str, str]:
    """The variables that a file sets to a plain path."""
    text = _text(file)
    found: dict[str, str] = {}
    if "source" in text or ". " in text:
        for pattern in (_SET, _FISH_SET):
            for name, value in pattern.findall(text):
                plain = resolved(value.strip("\"'"), home, {**known, **found})
                if plain is not None:
                    found[name] = plain
    return found


def _named(file: TextFile, home: Path, values: Mapping[str, str]) -> Iterator[Path]:
    text = _text(file)
    if "source" not in text and ". " not in text and ".\t" not in text:
        return
    loops = {name or other: (words or more).split() for name, words, other, more in _LOOP.findall(text)}
    for row in text.splitlines():
        # A quick look: most rows hold neither word.
        if (". " not in row and ".\t" not in row and "source" not in row) or row.lstrip().startswith("#"):
            continue
        for sourced in SOURCES.finditer(row):
            written = unquoted(sourced[1])
            variable = re.fullmatch(r"\$\{?(\w+)\}?", written)
            words = loops.get(variable[1], [written]) if variable else [written]
            for word in words:
                yield from _matching(unquoted(_QUALIFIER.sub("", word)), home, values)


def _matching(name: str, home: Path, values: Mapping[str, str]) -> Iterator[Path]:
    plain = resolved(name, home, values, patterns=True)
    if plain is None:
        return
    if not glob.has_magic(plain):
        yield Path(plain)
        return
    for path in sorted(glob.glob(plain))[:_MOST]:
        yield Path(path)


def unquoted(word: str) -> str:
    """A word of a shell without what quotes it. Pure."""
    return re.sub(r"\\(.)", r"\1", re.sub(r"[\"']", "", word))


def resolved(name: str, home: Path, values: Mapping[str, str] = {}, *, patterns: bool = False) -> str | None:
    """A file's name as written in a shell, with the home and these variables written out; None where it
    depends on more, or is a pattern and may be none. Pure.
    """

    def value(found: re.Match[str]) -> str:
        name = found[1] or found[2]
        return {"HOME": str(home), **values}.get(name, found[0])

    plain = re.sub(r"^~(?=/|$)", lambda _: str(home), name)
    plain = re.sub(r"\$(\w+)|\$\{(\w+)\}", value, plain)
    if not plain.startswith("/") or re.search(r"[$`]", plain):
        return None
    return plain if patterns or not re.search(r"[*?\[]", plain) else None
