"""The feed of an installer that the manifest names by its address: one version, whose digest is that of the
text.
"""

from __future__ import annotations

from zesty_anchor.feeds.feed import Feed
from zesty_anchor.feeds.release import Release

SCRIPT = "script"
"""The kind, and the name of the feed."""


class ScriptFeed(Feed):
    """The script at ``url``, in which ``{version}`` is replaced by the version ``file``."""

    title = "a script"
    marks_sources = True

    def releases(self, product: str, platform: str) -> list[Release]:
        """The one."""
        version = self.supply.file
        return [
            Release(version=version, url=self.address.replace("{version}", version), digest="", feed=SCRIPT)
        ]
