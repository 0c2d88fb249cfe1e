"""What most kinds of feed have in common."""

from __future__ import annotations

from zesty_anchor.feeds.documents import Web
from zesty_anchor.feeds.release import Release


class BaseFeed:
    """A feed at an address, whose releases need no further look to be pinned."""

    def __init__(self, name: str, address: str, web: Web | None = None) -> None:
        self.name = name
        self.who = f"the feed {name!r}"
        self._address = address
        self._web = web

    @property
    def address(self) -> str:
        """The address it asks, for a person to read."""
        return self._address

    @property
    def web(self) -> Web:
        """Where its documents come from."""
        assert self._web is not None
        return self._web

    def pinned(self, release: Release) -> Release:
        """The release itself: it has all that pins it."""
        return release


def folder_address(url: str) -> str:
    """An address that others are relative to: it ends in a slash."""
    return url if url.endswith("/") else url + "/"
