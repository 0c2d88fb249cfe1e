"""Deciding which feed a runtime's versions come from. Nothing is opened for it."""

from __future__ import annotations

import msgspec

from zesty_anchor.manifest.model import Manifest, Recipe
from zesty_anchor.problem import UsageProblem


class Supply(msgspec.Struct, frozen=True):
    """Where one runtime's versions come from: a feed by name and kind, and what the feed calls the runtime."""

    name: str
    kind: str
    url: str | None
    product: str


def supply_for(runtime: str, manifest: Manifest, recipe: Recipe, platform: str) -> Supply:
    """Decide on the feed: the one that the manifest names, else the recipe's kind, else the only index.

    Raises ``UsageProblem`` where that gives none, or more than one.
    """
    source = recipe.feed
    named = manifest.runtimes[runtime].feed
    if named is None and source is not None:
        fitting = [name for name, feed in manifest.feeds.items() if feed.kind == source.kind]
        named = fitting[0] if fitting else None
        if named is None:
            return Supply(source.kind, source.kind, None, _product(runtime, recipe, platform))
    if named is None:
        indexes = [name for name, feed in manifest.feeds.items() if feed.kind == "index"]
        if len(indexes) != 1:
            raise UsageProblem(
                f"no feed is named for the runtime {runtime!r}"
                + (f", and there are several: {', '.join(indexes)}" if indexes else ", and the manifest has none"),
                advice=f'write feed = "{indexes[0]}" in [runtimes.{runtime}]'
                if indexes
                else 'add one: [feeds.NAME] with kind = "index" and url = "https://…/"',
            )
        named = indexes[0]
    feed = manifest.feeds[named]
    return Supply(named, feed.kind, feed.url, _product(runtime, recipe, platform) if feed.kind == "npm" else runtime)


def _product(runtime: str, recipe: Recipe, platform: str) -> str:
    source = recipe.feed
    product = source.packages.get(platform, source.package) if source else None
    if product is None:
        raise UsageProblem(
            f"the recipe of {runtime!r} names no package for {platform}",
            advice="it cannot be had for this machine from this feed: choose another feed in the manifest",
        )
    return product
