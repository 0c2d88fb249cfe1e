"""zsh(1). The manual's section "STARTUP/SHUTDOWN FILES" says which files it reads."""

from __future__ import annotations

from collections.abc import Collection
from pathlib import Path

from zesty_anchor.shells.sh import Sh
from zesty_anchor.shells.shell import Context, Site


class Zsh(Sh):
    """zsh(1)."""

    name = "zsh"
    contexts = (
        Context("login", ("-l",)),
        Context("interactive", ("-i",)),
        Context("login, interactive", ("-l", "-i")),
    )

    def startup_files(self, home: Path, zdotdir: Path | None) -> tuple[Path, ...]:
        """See ``Shell``. ZDOTDIR, where it is set, stands in for the home, except for the first .zshenv."""
        folder = zdotdir or home
        return (home / ".zshenv", folder / ".zprofile", folder / ".zshrc", folder / ".zlogin")

    def sites(self, home: Path, zdotdir: Path | None, system: str, existing: Collection[Path]) -> tuple[Site, ...]:
        """See ``Shell``.

        .zshenv serves every zsh, and .zshrc comes again after the person's own lines for interactive ones.
        .zprofile is added where it may reorder PATH after .zshenv: where it exists, and on macOS, whose
        /etc/zprofile runs a path tool.
        """
        folder = zdotdir or home
        files = [home / ".zshenv"]
        if folder / ".zprofile" in existing or system == "macos":
            files.append(folder / ".zprofile")
        files.append(folder / ".zshrc")
        return tuple(Site(file, self.name) for file in files)
