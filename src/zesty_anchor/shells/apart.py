"""What the shells have in common whose language is not like that of sh."""

from __future__ import annotations

from pathlib import Path

from zesty_anchor.shells import posix
from zesty_anchor.shells.shell import Surroundings


class Apart:
    """fish and tcsh."""

    def quote(self, text: str) -> str:
        """See ``Shell``."""
        raise NotImplementedError

    def leaves(self, around: Surroundings) -> tuple[Path, ...]:
        """See ``Shell``."""
        return ()

    def behind(self, lines: str) -> str:
        """See ``Shell``. Here they are left as they are."""
        return lines

    def reload(self, generated: Path, home: Path) -> str:
        """See ``Shell``."""
        return posix.reload(generated, home, "source")
