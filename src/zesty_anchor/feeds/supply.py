"""Deciding which feed a runtime's versions come from. Nothing is opened for it."""

from __future__ import annotations

from pathlib import Path

import msgspec

from zesty_anchor.manifest.model import Manifest, Recipe
from zesty_anchor.system.problem import UsageProblem

_OWN_ADDRESS = ("npm", "pypi")
"""The kinds whose address may come from the user's own configuration."""


class Supply(msgspec.Struct, frozen=True):
    """Where one runtime's versions come from: a feed by name and kind, and what the feed calls the runtime.

    ``file`` is the pattern of file names, or of tags; ``sums`` the name of the list of digests; ``map`` the JMESPath
    expressions. ``key`` is the file of the OpenPGP key that releases must be signed with, None where none is named,
    and ``unsigned`` tells that the manifest says the feed offers no signatures.
    """

    name: str
    kind: str
    url: str | None
    product: str
    file: str = "{name}-{version}.tar.gz"
    sums: str = "SHA256SUMS"
    map: dict[str, str] = {}
    key: Path | None = None
    unsigned: bool = False


def supply_for(runtime: str, manifest: Manifest, recipe: Recipe, platform: str, folder: Path) -> Supply:
    """Decide on the feed: the one that the manifest names, else the recipe's kind, else the only one that may do.

    ``folder`` is where the manifest lies: what its paths are relative to.
    Raises ``UsageProblem`` where that gives none, or more than one.
    """
    source = recipe.feed
    tool = manifest.tools[runtime]
    if tool.through is not None:
        return Supply(tool.through, "manager", None, runtime)
    script = manifest.managers[runtime].script if runtime in manifest.managers else None
    if script is not None:
        return Supply("script", "script", script, runtime)
    named = tool.feed
    if named is None and source is not None:
        fitting = [name for name, feed in manifest.feeds.items() if feed.kind == source.kind]
        named = fitting[0] if fitting else None
        if named is None and source.kind in _OWN_ADDRESS:
            return Supply(source.kind, source.kind, None, _product(runtime, recipe, platform))
    if named is None:
        usable = [name for name, feed in manifest.feeds.items() if feed.kind not in _OWN_ADDRESS]
        if len(usable) != 1:
            raise UsageProblem(
                f"no feed is named for the runtime {runtime!r}"
                + (f", and there are several: {', '.join(usable)}" if usable else ", and the manifest has none"),
                advice=f'write feed = "{usable[0]}" in [{".".join(manifest.step(runtime))}]'
                if usable
                else 'add one: [feeds.NAME] with kind = "index" and url = "https://…/"',
            )
        named = usable[0]
    feed = manifest.feeds[named]
    defaults = {"listing": "{name}-{version}.tar.gz", "folder": "{name}-{version}.tar.gz", "git": "v{version}"}
    return Supply(
        name=named,
        kind=feed.kind,
        url=feed.url,
        product=_product(runtime, recipe, platform) if source and feed.kind == source.kind else runtime,
        file=feed.file or (source.file if source and source.file else "") or defaults.get(feed.kind, ""),
        sums=feed.sums,
        map=feed.map or (source.map if source else {}),
        key=folder / feed.key if feed.key else None,
        unsigned=feed.signature == "not offered",
    )


def _product(runtime: str, recipe: Recipe, platform: str) -> str:
    source = recipe.feed
    product = source.packages.get(platform, source.package) if source else None
    if product is None and source and source.kind in _OWN_ADDRESS:
        raise UsageProblem(
            f"the recipe of {runtime!r} names no package for {platform}",
            advice="it cannot be had for this machine from this feed: choose another feed in the manifest",
        )
    return product or runtime
