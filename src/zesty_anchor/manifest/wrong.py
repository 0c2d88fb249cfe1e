"""Something that is wrong in a manifest or a recipe."""

from __future__ import annotations

import typing
from collections.abc import Callable

from zesty_anchor.manifest.position import Step


class Wrong(typing.NamedTuple):
    """Where it is, what is wrong, and what to write instead (or a function that finds that out)."""

    path: tuple[Step, ...]
    what: str
    advice: str | Callable[[], str]

    def advised(self) -> str:
        """What to write instead."""
        return self.advice if isinstance(self.advice, str) else self.advice()


_LONGEST = 80


def shortened(text: str) -> str:
    """Return a text cut to a length that fits an error message. Pure."""
    return text if len(text) <= _LONGEST else f"{text[: _LONGEST - 1]}…"


def dotted(path: tuple[Step, ...]) -> str:
    """A path as TOML writes one: ``runtimes.kelp.also[0]``. Pure."""
    text = ""
    for step in path:
        text += f"[{step}]" if isinstance(step, int) else f".{step}" if text else step
    return shortened(text)


def nearest(key: str, known: list[str]) -> str:
    """The known word that is nearest; empty where none is near. Pure."""
    import difflib

    key = key[:_LONGEST]  # the time that it takes grows with the square of its length
    return next(iter(difflib.get_close_matches(key, known, 1, 0.5)), "")


def nearest_key(key: str, known: list[str]) -> str:
    """What to write instead of a word that is not known. Pure."""
    close = nearest(key, known)
    return f"did you mean {close!r}?" if close else f"known here: {', '.join(sorted(known))}"
