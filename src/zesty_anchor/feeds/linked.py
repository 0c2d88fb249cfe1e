"""The feed of an install that is on this machine already: one version, which is linked."""

from __future__ import annotations

from pathlib import Path

from zesty_anchor.feeds.release import Release

LINKED = "linked"
"""The kind, and how the digest of such a release begins: nothing is fetched, and what the system brings may change."""


class LinkedFeed:
    """A folder, and the version that it is."""

    def __init__(self, folder: Path, version: str) -> None:
        self._folder, self._version = folder, version

    @property
    def address(self) -> str:
        """The folder."""
        return str(self._folder)

    def releases(self, product: str, platform: str) -> list[Release]:
        """The one."""
        return [Release(self._version, self._folder.as_uri(), f"{LINKED}:{self._folder}", size=0)]

    def pinned(self, release: Release) -> Release:
        """Nothing pins what the system brings."""
        return release
