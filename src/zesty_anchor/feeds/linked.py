"""The feed of an install that is on this machine already: one version, which is linked."""

from __future__ import annotations

from pathlib import Path

from zesty_anchor.feeds.feed import Feed
from zesty_anchor.feeds.release import Release

LINKED = "linked"
"""The kind, and how the digest of such a release begins: nothing is fetched, and what the system brings may
change.
"""


class LinkedFeed(Feed):
    """The folder ``url``, which is the version ``file``. Nothing pins what the system brings."""

    title = "this machine"
    schemes = ("file",)
    marks_sources = True
    fixed = True

    @classmethod
    def wrong_address(cls, url: str) -> tuple[str, str] | None:
        """It is a folder, which is looked at when it is linked."""
        return None

    def releases(self, product: str, platform: str) -> list[Release]:
        """The one."""
        return [Release(self.supply.file, Path(self.address).as_uri(), f"{LINKED}:{self.address}", size=0)]
