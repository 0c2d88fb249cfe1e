"""The feeds of one run."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

import msgspec
import requests

from zesty_anchor.feeds.index import IndexFeed
from zesty_anchor.feeds.npm import NpmFeed, registry_address
from zesty_anchor.feeds.release import Feed, Release
from zesty_anchor.feeds.supply import Supply
from zesty_anchor.manifest.model import Recipe


class Feeds:
    """The feeds of one run, each opened once; answers are kept for the run."""

    def __init__(self, environ: Mapping[str, str], home: Path, web: requests.Session) -> None:
        self._environ = environ
        self._home = home
        self._web = web
        self._answers: dict[tuple[str, str], list[Release]] = {}

    def feed(self, supply: Supply) -> Feed:
        """The feed itself. Raises ``UsageProblem`` where no address is known."""
        if supply.kind == "npm":
            return NpmFeed(supply.name, supply.url or registry_address(self._environ, self._home), self._web)
        assert supply.url is not None
        return IndexFeed(supply.name, supply.url, self._web)

    def releases(self, supply: Supply, recipe: Recipe, platform: str) -> list[Release]:
        """Every release, with the recipe's own channels added. Raises as ``Feed.releases`` does."""
        key = (supply.name, supply.product)
        if key not in self._answers:
            self._answers[key] = [
                msgspec.structs.replace(r, channels=r.channels + _channels(r.version, recipe))
                for r in self.feed(supply).releases(supply.product, platform)
                if r.version[:1].isdigit() or r.version[:1] == "v"
            ]
        return self._answers[key]


def _channels(version: str, recipe: Recipe) -> tuple[str, ...]:
    return tuple(
        channel
        for channel, lines in recipe.channels.items()
        if any(version == line or version.startswith(line + ".") for line in lines)
    )
