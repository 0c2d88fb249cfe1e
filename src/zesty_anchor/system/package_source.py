"""A source of packages in the form of a package manager: which files, with what in them, and how it is asked
anew.
"""

from __future__ import annotations

import msgspec

from zesty_anchor.system.command import Command


class PackageSource(msgspec.Struct, frozen=True):
    """``[prerequisites.sources.NAME]`` of a manifest. ``key`` is the armoured key that its lists, or
    packages, are signed with.
    """

    name: str
    url: str
    key: str
    suite: str = ""
    components: tuple[str, ...] = ()

    @property
    def own(self) -> str:
        """What our files for it are named after."""
        return f"zesty-anchor-{self.name}"

    @property
    def head(self) -> str:
        """The first line of each file."""
        return f"# Written by zesty-anchor, for [prerequisites.sources.{self.name}] of a manifest.\n"


class SourceForm(msgspec.Struct, frozen=True):
    """``files`` are paths with their texts, in the order in which they are written; ``refresh`` reads its
    lists, ``forget`` removes what that left.
    """

    files: tuple[tuple[str, str], ...]
    refresh: Command
    forget: tuple[Command, ...] = ()
