"""The class of each kind of feed."""

from __future__ import annotations

from typing import cast

from zesty_anchor.feeds.feed import Feed
from zesty_anchor.feeds.linked import LINKED, LinkedFeed
from zesty_anchor.feeds.script import SCRIPT, ScriptFeed
from zesty_anchor.manifest.feed_kinds import FEED_KINDS

_FOLLOWING: dict[str, type[Feed]] = {LINKED: LinkedFeed, SCRIPT: ScriptFeed}
"""Kinds that no manifest names: they follow from other keys (``system``, ``script``)."""


def feed_class(kind: str) -> type[Feed]:
    """The class of any kind. Raises ``UnknownName``."""
    return _FOLLOWING.get(kind) or cast(type[Feed], FEED_KINDS[kind])
