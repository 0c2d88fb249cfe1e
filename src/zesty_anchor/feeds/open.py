"""The feeds of one run."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec

from zesty_anchor.feeds.admitted import admitted
from zesty_anchor.feeds.documents import Web
from zesty_anchor.feeds.feed import Around, Feed, Supply
from zesty_anchor.feeds.folder import file_of
from zesty_anchor.feeds.known import feed_class
from zesty_anchor.feeds.release import Release, channels_of
from zesty_anchor.manifest.recipe import Recipe
from zesty_anchor.system.problem import Problem

if TYPE_CHECKING:
    from zesty_anchor.feeds.web import FileBody, WebBody


class Feeds:
    """The feeds of one run. What they answer is kept for the run, and so are the addresses that pip's and
    npm's own configuration names.
    """

    def __init__(self, environ: Mapping[str, str], home: Path, web: Web) -> None:
        self._around = Around(environ, home, web)
        self.web = web
        self._answers: dict[tuple[object, ...], list[Release]] = {}

    def feed(self, supply: Supply) -> Feed:
        """The feed itself. Raises ``UsageProblem`` where no address is known."""
        return feed_class(supply.kind)(supply, self._around)

    def releases(self, supply: Supply, recipe: Recipe, platform: str) -> list[Release]:
        """Every release, with the recipe's own channels added. Raises as ``Feed.releases`` does."""
        asked = (
            supply.name,
            supply.kind,
            supply.url,
            supply.product,
            supply.file,
            supply.sums,
            supply.suites,
            msgspec.json.encode(supply.source),
            *supply.map.items(),
            platform,
        )
        if asked not in self._answers:
            self._answers[asked] = self._taken(supply, platform)
        built = recipe.build is not None and not feed_class(supply.kind).marks_sources
        return [
            msgspec.structs.replace(
                r, channels=r.channels + channels_of(r.version, recipe), source=r.source or built
            )
            for r in self._answers[asked]
        ]

    def _taken(self, supply: Supply, platform: str) -> list[Release]:
        """What the feed offers, as far as it may be taken; what is left out is told."""
        try:
            offered = self.feed(supply).releases(supply.product, platform)
            taken, left_out = admitted(offered, feed_class(supply.kind))
        except (AttributeError, TypeError, ValueError, LookupError, RecursionError) as error:
            raise Problem(
                f"the feed {supply.name!r} answers with what cannot be understood: {type(error).__name__}:"
                f" {str(error)[:120]}",
                where=supply.url or "",
                advice="check the address; zesty-anchor docs feeds describes each kind of feed",
            ) from None
        if left_out:
            more = f" (the first: {left_out[0]})"
            self.web.remarks[f"the feed {supply.name!r} offers {len(left_out)} that are left out{more}"] = (
                None
            )
        return taken

    def body(self, url: str, who: str, start: int = 0) -> WebBody | FileBody:
        """Open an address for download, without the first ``start`` bytes."""
        from zesty_anchor.feeds.web import FileBody, WebBody

        if url.startswith("file:"):
            return FileBody(file_of(url))
        return self.web.first_of(url, lambda at: WebBody(self.web.session, at, who, start=start))
