"""What the shells have in common whose language is not like that of sh."""

from __future__ import annotations

from pathlib import Path

from zesty_anchor.shells import posix
from zesty_anchor.shells.shell import Shell


class Apart(Shell):
    """fish and tcsh."""

    source_word = "source"
    names_error = True

    def reload(self, generated: Path, home: Path) -> str:
        """The line that a person types to bring an open shell up to date."""
        return posix.reload(generated, home, "source")
