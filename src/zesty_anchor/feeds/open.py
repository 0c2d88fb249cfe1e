"""The feeds of one run."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec

from zesty_anchor.feeds.admitted import admitted
from zesty_anchor.feeds.base import folder_address
from zesty_anchor.feeds.documents import Web
from zesty_anchor.feeds.folder import FolderFeed, file_of
from zesty_anchor.feeds.git import GitFeed
from zesty_anchor.feeds.index import IndexFeed
from zesty_anchor.feeds.jsonlist import JsonFeed
from zesty_anchor.feeds.linked import LINKED, LinkedFeed
from zesty_anchor.feeds.listing import ListingFeed
from zesty_anchor.feeds.npm import NpmFeed, registry_address
from zesty_anchor.feeds.pypi import PypiFeed, index_address
from zesty_anchor.feeds.release import Feed, Release, channels_of
from zesty_anchor.feeds.supply import Supply
from zesty_anchor.manifest.recipe import Recipe
from zesty_anchor.system.host import libc_version
from zesty_anchor.system.problem import Problem, UsageProblem

if TYPE_CHECKING:
    from zesty_anchor.feeds.web import FileBody, WebBody


class Feeds:
    """The feeds of one run. What they answer is kept for the run, and so are the addresses that pip's and npm's own
    configuration names.
    """

    def __init__(self, environ: Mapping[str, str], home: Path, web: Web) -> None:
        self._environ = environ
        self._home = home
        self.web = web
        self._answers: dict[tuple[object, ...], list[Release]] = {}

    @cached_property
    def _npm_registry(self) -> str:
        return registry_address(self._environ, self._home)

    @cached_property
    def _pypi_index(self) -> str:
        return index_address(self._environ, self._home)

    def feed(self, supply: Supply) -> Feed:
        """The feed itself. Raises ``UsageProblem`` where no address is known."""
        name, url = supply.name, supply.url
        if supply.kind == "npm":
            return NpmFeed(name, url or self._npm_registry, self.web)
        if supply.kind == "pypi":
            return PypiFeed(name, url or self._pypi_index, self.web)
        if supply.kind == "debian":
            return self._debian(supply)
        assert url is not None
        if supply.kind == LINKED:
            return LinkedFeed(Path(url), supply.file)
        if supply.kind == "listing":
            return ListingFeed(name, url, supply.file, supply.sums, self.web, signed=supply.key is not None)
        if supply.kind == "json":
            version, lines = (supply.source.version, supply.source.lines) if supply.source else ("", ())
            return JsonFeed(
                name,
                url,
                supply.map,
                self.web,
                sums=supply.sums,
                version=version,
                signed=supply.key is not None,
                lines=lines,
            )
        if supply.kind == "git":
            return GitFeed(name, url, supply.file, self._environ)
        if supply.kind == "folder":
            return FolderFeed(name, self._home / url[2:] if url.startswith("~/") else Path(url), supply.file)
        return IndexFeed(name, url, self.web)

    def _debian(self, supply: Supply) -> Feed:
        """The archive that the manifest names, else the one that apt is set to, through apt's proxy."""
        from zesty_anchor.feeds.debian import DebianFeed
        from zesty_anchor.system import apt_archive

        if supply.source is None or not (supply.source.names or supply.source.sources):
            raise UsageProblem(
                f"the recipe of {supply.product!r} does not say which packages of a Debian archive make a version",
                advice='add a feed to it: [[feeds]] kind = "debian", names = ["…"], or sources = ["…"] (docs/recipes.md shows how)',
            )
        if supply.url is not None:
            address = folder_address(supply.url)
            suites = [apt_archive.Suite(address, name, named=True) for name in supply.suites]
        else:
            suites = apt_archive.suites_here(self._environ, supply.suites)
        for url in {suite.url for suite in suites}:
            self.web.go_through(url, apt_archive.proxy(url, self._environ))
        keyrings = [supply.key] if supply.key else apt_archive.keyrings()
        return DebianFeed(supply.name, suites, keyrings, libc_version(), supply.source, self.web)

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
        # An index says itself which of its files are sources; of other feeds the recipe knows.
        built = recipe.build is not None and supply.kind not in ("index", LINKED)
        return [
            msgspec.structs.replace(r, channels=r.channels + channels_of(r.version, recipe), source=r.source or built)
            for r in self._answers[asked]
        ]

    def _taken(self, supply: Supply, platform: str) -> list[Release]:
        """What the feed offers, as far as it may be taken; what is left out is told."""
        try:
            offered = self.feed(supply).releases(supply.product, platform)
            taken, left_out = admitted(offered, supply.kind)
        except (AttributeError, TypeError, ValueError, LookupError, RecursionError) as error:
            raise Problem(
                f"the feed {supply.name!r} answers with what cannot be understood: {type(error).__name__}: {str(error)[:120]}",
                where=supply.url or "",
                advice="check that the address is that of such a feed; docs/feeds.md describes each kind",
            ) from None
        if left_out:
            more = f" (the first: {left_out[0]})"
            self.web.remarks[f"the feed {supply.name!r} offers {len(left_out)} that are left out{more}"] = None
        return taken

    def body(self, url: str, who: str) -> WebBody | FileBody:
        """Open an address for download."""
        from zesty_anchor.feeds.web import FileBody, WebBody

        return FileBody(file_of(url)) if url.startswith("file:") else WebBody(self.web.session, url, who)
