"""A registry: the classes of one noun by name. The shipped ones are imported when they are first used; other
packages add theirs as entry points (packaging.python.org, "Entry points specification").
"""

from __future__ import annotations

import glob
import importlib
import os
import sys
from collections.abc import Iterator, Mapping
from contextlib import suppress
from functools import cache, cached_property
from typing import Any, Generic, TypeVar, cast

T = TypeVar("T")


@cache
def _others_add() -> bool:
    """Whether any installed package has an entry point of one of our groups. To read these files takes 2 ms,
    importlib.metadata 30.
    """
    for folder in sys.path:
        for file in glob.iglob(os.path.join(glob.escape(folder), "*-info", "entry_points.txt")):
            with suppress(OSError), open(file, "rb") as opened:
                if b"[zesty_anchor." in opened.read():
                    return True
    return False


class UnknownName(LookupError):
    """Nothing is registered under a name. ``known`` are the names that are."""

    def __init__(self, noun: str, name: str, known: tuple[str, ...]) -> None:
        super().__init__(f"there is no {noun} {name!r}")
        self.noun, self.name, self.known = noun, name, known


class Registry(Generic[T]):
    """Finds a class by its name. ``shipped`` gives ``module:Name`` for each name, in the order in which they
    are listed; ``group`` is the entry points' group.
    """

    def __init__(self, noun: str, shipped: Mapping[str, str], group: str) -> None:
        self.noun = noun
        self.group = group
        self._shipped = shipped
        self._loaded: dict[str, T] = {}

    @cached_property
    def _added(self) -> dict[str, Any]:
        """The entry points of other packages; a shipped name is never replaced."""
        if not _others_add():
            return {}
        from importlib.metadata import entry_points

        return {each.name: each for each in entry_points(group=self.group) if each.name not in self._shipped}

    def names(self) -> tuple[str, ...]:
        """Every name, the shipped ones first."""
        return (*self._shipped, *self._added)

    def __contains__(self, name: object) -> bool:
        return name in self._shipped or name in self._added

    def __getitem__(self, name: str) -> T:
        """Raises ``UnknownName``; ``ImportError`` where another package's class cannot be imported."""
        if name not in self._loaded:
            if name in self._shipped:
                module, _, attribute = self._shipped[name].partition(":")
                self._loaded[name] = cast(T, getattr(importlib.import_module(module), attribute))
            elif name in self._added:
                self._loaded[name] = self._added[name].load()
            else:
                raise UnknownName(self.noun, name, self.names())
        return self._loaded[name]

    def items(self) -> Iterator[tuple[str, T]]:
        """Every name with its class."""
        return ((name, self[name]) for name in self.names())
