"""What the shells have in common whose language is not like that of sh."""

from __future__ import annotations

from pathlib import Path

from zesty_anchor.shells import posix
from zesty_anchor.shells.shell import Surroundings


class Apart:
    """fish and tcsh."""

    def unfit(self, home: Path) -> str:
        """Why it cannot be set up in this home: nothing."""
        return ""

    def quote(self, text: str) -> str:
        """``text`` as one word of its language, byte for byte."""
        raise NotImplementedError

    def leaves(self, around: Surroundings) -> tuple[Path, ...]:
        """What it makes in a home when it starts there for the first time, the outermost first."""
        return ()

    def folders(self, around: Surroundings) -> tuple[Path, ...]:
        """Those folders of it over which several that start at once for the first time stumble, and say so: none."""
        return ()

    def behind(self, lines: str) -> str:
        """Here they are left as they are."""
        return lines

    def reload(self, generated: Path, home: Path) -> str:
        """The line that a person types to bring an open shell up to date."""
        return posix.reload(generated, home, "source")
