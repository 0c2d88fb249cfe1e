"""What kinds of change are for, as a person sees it: what is shown together."""

from __future__ import annotations

from enum import Enum


class Heading(Enum):
    """A heading, in the order of a preview: its title there, and where its changes are counted in a
    summary.
    """

    SYSTEM = ("For the whole system (needs privilege)", "system")
    INSTALLER = ("Run an installer (its lines move into the generated files)", "new")
    VERSIONS = ("To install", "new")
    TRUST = ("Certificate authorities in installed versions", "trust")
    OURS = ("Generated files", "")
    STARTUP = ("Startup files that change", "files")
    SETTINGS = ("Settings of other programs", "files")
    IDENTITY = ("Your identity", "files")
    ALTERNATIVES = ("Alternatives of the system, after the new versions are verified", "system")
    REMOVAL = ("Remove after the new versions are verified", "removed")

    @property
    def title(self) -> str:
        """The heading in a preview."""
        return self.value[0]

    @property
    def summary(self) -> str:
        """The line of a summary: ``new``, ``trust``, ``system``, ``files``, ``removed``; empty for what is
        nothing to look at.
        """
        return self.value[1]
