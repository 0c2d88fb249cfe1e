"""Paths of the home as the journal stores them: relative, so that a home that is moved, renamed or copied
keeps its journal.

A string that is the home, or a path in it, is stored with ``{home}`` in place of the home. A string that
begins with a brace by itself gets a second one, so that nothing is mistaken for it.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable
from typing import Any

import msgspec

_HOME = "{home}"
_ATTIC = r'"(/(?:[^"\\]|\\.)*?)/attic/run-[0-9]{5,}/'


def stored(text: str, home: str) -> str:
    """Return a string as the journal stores it."""
    if text == home or (text.startswith(home) and text[len(home) :].startswith("/")):
        return _HOME + text[len(home) :]
    return "{" + text if text.startswith("{") else text


def restored(text: str, home: str) -> str:
    """Return a stored string as it is in this home."""
    if text.startswith("{{"):
        return text[1:]
    return home + text[len(_HOME) :] if text.startswith(_HOME) else text


def stored_json(document: bytes, home: str) -> bytes:
    """Return a JSON document with each string in it, keys too, as the journal stores it."""
    return _each(document, lambda text: stored(text, home))


def restored_json(document: bytes, home: str) -> bytes:
    """Return a stored JSON document as it is in this home."""
    return (
        _each(document, lambda text: restored(text, home))
        if b"{home}" in document or b'"{{' in document
        else document
    )


def written_in(records: Iterable[str], home: str, state: str) -> str:
    """Return the home in which records with whole paths (JSON) were written, by a program before 0.2.

    Their copies are in the attic of that home's state folder, which is as far below that home as ``state`` is
    below ``home``.
    """
    below = state[len(home) :] if state.startswith(home + "/") else ""
    for record in records if below else ():
        found = re.search(_ATTIC, record)
        before = msgspec.json.decode(f'"{found[1]}"', type=str) if found else ""
        if before.endswith(below):
            return before[: -len(below)]
    return home


def _each(document: bytes, change: Callable[[str], str]) -> bytes:
    def changed(value: Any) -> Any:
        if isinstance(value, str):
            return change(value)
        if isinstance(value, dict):
            return {change(key): changed(each) for key, each in value.items()}
        return [changed(each) for each in value] if isinstance(value, list) else value

    return msgspec.json.encode(changed(msgspec.json.decode(document)))
