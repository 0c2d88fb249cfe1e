"""POSIX sh, as the language of ``.profile``, which several shells read at login."""

from __future__ import annotations

from collections.abc import Collection
from pathlib import Path

from zesty_anchor.shells import posix
from zesty_anchor.shells.shell import Context, Environment, Site


class Sh:
    """sh(1). It gets a generated file for ``.profile``; it is not yet set up as a shell of its own."""

    name = "sh"
    contexts: tuple[Context, ...] = ()

    def startup_files(self, home: Path, zdotdir: Path | None) -> tuple[Path, ...]:
        """See ``Shell``."""
        return (home / ".profile",)

    def sites(self, home: Path, zdotdir: Path | None, system: str, existing: Collection[Path]) -> tuple[Site, ...]:
        """See ``Shell``."""
        return (Site(home / ".profile", self.name),)

    def quote(self, text: str) -> str:
        """See ``Shell``."""
        return posix.quote(text)

    def block(self, generated: Path, home: Path) -> str:
        """See ``Shell``."""
        return posix.block(generated, home)

    def environment(self, environment: Environment) -> str:
        """See ``Shell``."""
        return posix.environment(environment)

    def reload(self, generated: Path, home: Path) -> str:
        """See ``Shell``."""
        return posix.reload(generated, home)
