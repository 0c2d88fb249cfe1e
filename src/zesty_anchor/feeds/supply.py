"""Deciding which feeds a runtime's versions come from. Nothing is opened for it."""

from __future__ import annotations

from pathlib import Path

from zesty_anchor.feeds.feed import Supply
from zesty_anchor.feeds.known import feed_class
from zesty_anchor.feeds.linked import LINKED
from zesty_anchor.feeds.script import SCRIPT
from zesty_anchor.manifest.model import Manifest
from zesty_anchor.manifest.recipe import Recipe, Source
from zesty_anchor.system.problem import UsageProblem


def supplies_for(
    runtime: str, manifest: Manifest, recipe: Recipe, platform: str, folder: Path
) -> tuple[Supply, ...]:
    """The feeds to ask, in order: the one that the manifest names, else those that the recipe brings along
    (at the address of the manifest's feed of that kind, if it has one), else the only one that may do.

    ``folder`` is where the manifest lies: what its paths are relative to.
    Raises ``UsageProblem`` where that gives none, or more than one that may do.
    """
    tool = manifest.tools[runtime]
    if tool.through is not None:
        return (Supply(tool.through, "manager", None, runtime),)
    system = manifest.runtimes[runtime].system if runtime in manifest.runtimes else None
    if system is not None:
        return (Supply("system", LINKED, system, runtime, file=tool.want),)
    script = manifest.managers[runtime].script if runtime in manifest.managers else None
    if script is not None:
        return (Supply(SCRIPT, SCRIPT, script, runtime, file=tool.want),)
    if tool.feed is not None:
        return (_named(tool.feed, runtime, manifest, recipe, platform, folder),)
    found: dict[str, Supply] = {}
    without_package = None
    for source in recipe.sources:
        fitting = next((name for name, feed in manifest.feeds.items() if feed.kind == source.kind), None)
        if fitting is None and not feed_class(source.kind).own_address and source.url is None:
            continue
        try:
            product = _product(runtime, source, platform)
        except UsageProblem as problem:
            without_package = problem
            continue
        if fitting is None:
            name = source.kind if source.kind not in found else f"{source.kind}-{len(found)}"
            found[name] = _own(name, product, source)
        elif fitting not in found:
            found[fitting] = _named(fitting, runtime, manifest, recipe, platform, folder)
    if found:
        return tuple(found.values())
    if without_package is not None:
        raise without_package
    return (_named(_only_one(runtime, manifest), runtime, manifest, recipe, platform, folder),)


def _only_one(runtime: str, manifest: Manifest) -> str:
    usable = [name for name, feed in manifest.feeds.items() if not feed_class(feed.kind).own_address]
    if len(usable) == 1:
        return usable[0]
    raise UsageProblem(
        f"no feed is named for the runtime {runtime!r}"
        + (f", and there are several: {', '.join(usable)}" if usable else ", and the manifest has none"),
        advice=(
            f'write feed = "{usable[0]}" in [{".".join(manifest.step(runtime))}]'
            if usable
            else 'add one: [feeds.NAME] with kind = "index" and url = "https://…/"'
        ),
    )


def _own(name: str, product: str, source: Source) -> Supply:
    """A feed as the recipe alone describes it."""
    return Supply(
        name=name, kind=source.kind, url=source.url, product=product,
        file=source.file or feed_class(source.kind).file,
        sums=source.sums or feed_class(source.kind).sums, map=source.map, suites=source.suites, source=source,
    )  # fmt: skip


def _named(
    name: str, runtime: str, manifest: Manifest, recipe: Recipe, platform: str, folder: Path
) -> Supply:
    """A feed of the manifest, with what the recipe says of feeds of its kind."""
    feed = manifest.feeds[name]
    source = next((source for source in recipe.sources if source.kind == feed.kind), None)
    return Supply(
        name=name,
        kind=feed.kind,
        url=feed.url,
        product=_product(runtime, source, platform) if source else runtime,
        file=feed.file or (source.file if source and source.file else "") or feed_class(feed.kind).file,
        sums=feed.sums or (source.sums if source and source.sums else "") or feed_class(feed.kind).sums,
        map=feed.map or (source.map if source else {}),
        key=folder / feed.key if feed.key else None,
        unsigned=feed.signature == "not offered",
        suites=feed.suites or (source.suites if source else ()),
        source=source,
    )


def _product(runtime: str, source: Source, platform: str) -> str:
    product = source.packages.get(platform, source.package)
    if product is None and (source.packages or feed_class(source.kind).by_package):
        raise UsageProblem(
            f"the recipe of {runtime!r} names no package for {platform}",
            advice="it cannot be had for this machine from this feed: choose another feed in the manifest",
        )
    return product or runtime
