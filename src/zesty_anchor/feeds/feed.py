"""What every kind of feed is: what is said of it once, and what it can be asked."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import TYPE_CHECKING, ClassVar

import msgspec

from zesty_anchor.feeds.release import Release
from zesty_anchor.manifest.recipe import Source

if TYPE_CHECKING:
    from zesty_anchor.feeds.documents import Web


class Supply(msgspec.Struct, frozen=True):
    """Where one runtime's versions come from: a feed by name and kind, and what the feed calls the runtime.

    ``file`` is the pattern of file names, or of tags; ``sums`` the name of the list of digests; ``map`` the
    JMESPath expressions. ``key`` is the file of the OpenPGP key that releases must be signed with, None where
    none is named, and ``unsigned`` tells that the manifest says the feed offers no signatures. ``source`` is
    what the recipe says of feeds of this kind, and ``suites`` are those of a Debian archive.
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
    suites: tuple[str, ...] = ()
    source: Source | None = None


class Around:
    """What feeds are opened with: the environment and the home that addresses come from, and the web."""

    def __init__(self, environ: Mapping[str, str], home: Path, web: Web) -> None:
        self.environ = environ
        self.home = home
        self.web = web
        self._found: dict[str, str] = {}

    def once(self, what: str, find: Callable[[Mapping[str, str], Path], str]) -> str:
        """What ``find`` finds on this machine, looked for once. Raises what that raises."""
        if what not in self._found:
            self._found[what] = find(self.environ, self.home)
        return self._found[what]


class Feed(ABC):
    """A source of versions. A subclass is one kind; the attributes of the class say all that the rest of the
    program knows of it.

    ``title`` is what a person calls such a source ("a web folder"). In messages it is its ``noun`` with the
    feed's name, or ``usual`` where no feed of the manifest is used; by default "the feed NAME". ``schemes``
    are those that the addresses it offers may have (empty: any). ``own_address`` tells that its address may
    come from this machine's configuration, so that a manifest need not give one. ``file`` and ``sums`` are
    the defaults of the manifest's keys, ``map_keys`` are entries of ``map`` that must be given.
    ``by_package`` tells that it is a registry of packages: a recipe must name one, and any other can be asked
    for by its name. ``marks_sources`` tells that a release itself says whether it has to be built,
    ``signed_lists`` that its digests were taken from a signed list, ``fixed`` that a release has no digest,
    since nothing is fetched.
    """

    title: ClassVar[str]
    noun: ClassVar[str] = ""
    usual: ClassVar[str] = ""
    schemes: ClassVar[tuple[str, ...]] = ("http", "https")
    own_address: ClassVar[bool] = False
    file: ClassVar[str] = ""
    sums: ClassVar[str] = ""
    map_keys: ClassVar[tuple[str, ...]] = ()
    by_package: ClassVar[bool] = False
    marks_sources: ClassVar[bool] = False
    signed_lists: ClassVar[bool] = False
    fixed: ClassVar[bool] = False

    def __init__(self, supply: Supply, around: Around) -> None:
        """Raises ``UsageProblem`` where no address is known, or the recipe does not say what this kind
        needs.
        """
        self.supply = supply
        self.name = supply.name
        self.web = around.web
        self.around = around
        self.who = f"{self.noun} of feed {supply.name!r}" if self.noun else f"the feed {supply.name!r}"
        if self.usual and supply.name == supply.kind:
            self.who = self.usual

    @property
    def address(self) -> str:
        """The address it asks, for a person to read."""
        return self.supply.url or ""

    @abstractmethod
    def releases(self, product: str, platform: str) -> list[Release]:
        """Every version of ``product`` for ``platform``, in no particular order.

        Raises ``Problem`` where the feed is down, answers with an error or with what cannot be understood,
        or does not know the product.
        """

    def pinned(self, release: Release) -> Release:
        """The release with what pins it, where that takes a look of its own. Raises ``Problem``."""
        return release

    @classmethod
    def wrong_address(cls, url: str) -> tuple[str, str] | None:
        """What is wrong with an address of a manifest, and what to write; None where it will do. Pure."""
        from urllib.parse import urlsplit

        parts = urlsplit(url)
        if parts.scheme in ("http", "https") and parts.hostname:
            return None
        return f"{url[:80]!r} is no address of the web", "write it with https:// in front"


def folder_address(url: str) -> str:
    """An address that others are relative to: it ends in a slash."""
    return url if url.endswith("/") else url + "/"
