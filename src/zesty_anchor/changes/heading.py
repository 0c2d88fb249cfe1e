"""What kinds of change are for, as a person sees it: what is shown together."""

from __future__ import annotations

from enum import Enum


class Heading(Enum):
    """A heading, in the order of a preview: its title there, and where its changes are counted in a
    summary.
    """

    SYSTEM = ("For the whole system, with privilege", "system")
    INSTALLER = ("Run an installer; its lines in startup files are moved into our own", "new")
    VERSIONS = ("What you get", "new")
    OURS = ("Files of our own", "")
    STARTUP = ("What changes in your startup files", "files")
    SETTINGS = ("Set keys in files of other programs", "files")
    IDENTITY = ("Make you known", "files")
    ALTERNATIVES = ("What the alternatives of the system lead to, once fresh shells have proved it", "system")
    REMOVAL = ("Take away, once fresh shells have proved the new versions", "removed")

    @property
    def title(self) -> str:
        """The heading in a preview."""
        return self.value[0]

    @property
    def summary(self) -> str:
        """The line of a summary: ``new``, ``system``, ``files``, ``removed``; empty for what is nothing to
        look at.
        """
        return self.value[1]
