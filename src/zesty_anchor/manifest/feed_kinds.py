"""The kinds of feed by name, and what a manifest needs to know of one. Their classes are in
``zesty_anchor.feeds``, a file each.

Another package adds a kind as an entry point of the group ``zesty_anchor.feeds`` (docs/extending.md).
"""

from __future__ import annotations

from typing import Protocol

from zesty_anchor.system.registry import Registry


class FeedKind(Protocol):
    """As in ``zesty_anchor.feeds.feed.Feed``."""

    own_address: bool
    map_keys: tuple[str, ...]

    @classmethod
    def wrong_address(cls, url: str) -> tuple[str, str] | None:
        """What is wrong with an address, and what to write; None where it will do."""


FEED_KINDS: Registry[FeedKind] = Registry(
    "kind of feed",
    {
        "index": "zesty_anchor.feeds.index:IndexFeed",
        "npm": "zesty_anchor.feeds.npm:NpmFeed",
        "pypi": "zesty_anchor.feeds.pypi:PypiFeed",
        "debian": "zesty_anchor.feeds.debian:DebianFeed",
        "json": "zesty_anchor.feeds.jsonlist:JsonFeed",
        "table": "zesty_anchor.feeds.table:TableFeed",
        "listing": "zesty_anchor.feeds.listing:ListingFeed",
        "git": "zesty_anchor.feeds.git:GitFeed",
        "folder": "zesty_anchor.feeds.folder:FolderFeed",
    },
    "zesty_anchor.feeds",
)
