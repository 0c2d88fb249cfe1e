"""Something that is wrong in a manifest or a recipe."""

from __future__ import annotations

import typing

from zesty_anchor.manifest.position import Step


class Wrong(typing.NamedTuple):
    """Where it stands, what is wrong, and what to write instead."""

    path: tuple[Step, ...]
    what: str
    advice: str


def dotted(path: tuple[Step, ...]) -> str:
    """A path as TOML writes one: ``runtimes.kelp.also[0]``. Pure."""
    text = ""
    for step in path:
        text += f"[{step}]" if isinstance(step, int) else f".{step}" if text else step
    return text


def nearest(key: str, known: list[str]) -> str:
    """The known word that is nearest; empty where none is near. Pure."""
    import difflib

    return next(iter(difflib.get_close_matches(key, known, 1, 0.5)), "")


def nearest_key(key: str, known: list[str]) -> str:
    """What to write instead of a word that is not known. Pure."""
    close = nearest(key, known)
    return f"did you mean {close!r}?" if close else f"known here: {', '.join(sorted(known))}"
