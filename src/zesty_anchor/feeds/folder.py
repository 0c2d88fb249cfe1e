"""Feeds of kind ``folder``: archives in a local folder."""

from __future__ import annotations

from pathlib import Path
from urllib.parse import unquote, urlsplit

import msgspec

from zesty_anchor.feeds.feed import Feed
from zesty_anchor.feeds.names import places, version_in
from zesty_anchor.feeds.release import Release
from zesty_anchor.system.problem import Problem


class FolderFeed(Feed):
    """The archives in the folder ``url`` whose names fit the pattern ``file``."""

    title = "a folder"
    schemes = ("file",)
    file = "{name}-{version}.tar.gz"

    @property
    def folder(self) -> Path:
        """The folder, with the home in place of ``~``."""
        url = self.supply.url or ""
        return self.around.home / url[2:] if url.startswith("~/") else Path(url)

    @property
    def address(self) -> str:
        """The folder, for a person to read."""
        return str(self.folder)

    @classmethod
    def wrong_address(cls, url: str) -> tuple[str, str] | None:
        """It is a path."""
        if url.startswith(("/", "~/")):
            return None
        return f"{url[:80]!r} is not a folder's path", 'write the absolute path, or one that begins with "~/"'

    def releases(self, product: str, platform: str) -> list[Release]:
        """Every version of ``product`` for ``platform``, in no particular order."""
        known = places(product, platform)
        try:
            files = sorted(self.folder.iterdir())
        except OSError as error:
            raise Problem(
                f"{self.who} cannot be read: {error.strerror}",
                where=str(self.folder),
                advice="check url = … of the feed",
            ) from None
        return [
            Release(version=version, url=file.as_uri(), digest="", size=file.stat().st_size)
            for file in files
            if file.is_file() and (version := version_in(file.name, self.supply.file, known))
        ]

    def pinned(self, release: Release) -> Release:
        """The digest of the file as it is now."""
        with file_of(release.url).open("rb") as opened:
            import hashlib

            digest = hashlib.file_digest(opened, "sha256").hexdigest()
        return msgspec.structs.replace(release, digest=f"sha256:{digest}")


def file_of(url: str) -> Path:
    """The local file that a ``file:`` address names (RFC 8089)."""
    return Path(unquote(urlsplit(url).path))
