"""bash(1). The manual's section "INVOCATION" says which files it reads."""

from __future__ import annotations

from collections.abc import Collection
from pathlib import Path

from zesty_anchor.shells.sh import Sh
from zesty_anchor.shells.shell import Context, Site

_LOGIN = (".bash_profile", ".bash_login", ".profile")


class Bash(Sh):
    """bash(1)."""

    name = "bash"
    contexts = (
        Context("login", ("-l",)),
        Context("interactive", ("-i",)),
        Context("login, interactive", ("-l", "-i")),
    )

    def startup_files(self, home: Path, zdotdir: Path | None) -> tuple[Path, ...]:
        """See ``Shell``. At login it reads the first of three; else, when interactive, .bashrc."""
        return (*(home / name for name in _LOGIN), home / ".bashrc")

    def sites(self, home: Path, zdotdir: Path | None, system: str, existing: Collection[Path]) -> tuple[Site, ...]:
        """See ``Shell``.

        The login file is the first of the three that exists. Where none does it is .profile: it hides
        none of the others, and other shells read it too, so what it sources is in the language of sh.
        """
        login = next((home / name for name in _LOGIN if home / name in existing), home / ".profile")
        return (
            Site(login, "sh" if login.name == ".profile" else self.name),
            Site(home / ".bashrc", self.name),
        )
