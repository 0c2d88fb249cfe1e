"""zsh(1). The manual's section "STARTUP/SHUTDOWN FILES" says which files it reads."""

from __future__ import annotations

from collections.abc import Collection
from pathlib import Path

from zesty_anchor.shells import posix
from zesty_anchor.shells.sh import Sh
from zesty_anchor.shells.shell import Context, Environment, Site

# Builtins only. An anonymous function with its own options (zshmisc(1), "FUNCTIONS") leaves the person's alone,
# KSH_ARRAYS and NO_UNSET among them. :| takes an array's elements out, (u) keeps the first of equals (zshexpn(1)).
_PATH = """\
() {{
  emulate -L zsh
  local zesty_anchor_entry
  local -a zesty_anchor_rest=() zesty_anchor_last=({last})
  for zesty_anchor_entry in "${{(@)path}}"; do
    [[ $zesty_anchor_entry == {shelf}* ]] || zesty_anchor_rest+=("$zesty_anchor_entry")
  done
  path=({first} "${{(@)zesty_anchor_rest:|zesty_anchor_last}}" "${{(@)zesty_anchor_last}}")
  path=("${{(@u)path}}")
}}
export PATH
"""


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

    def environment(self, environment: Environment) -> str:
        """See ``Shell``."""
        return (
            posix.HEAD
            + posix.exports(environment)
            + _PATH.format(
                shelf=posix.quote(environment.shelf + "/"),
                first=" ".join(posix.quote(folder) for folder in environment.first),
                last=" ".join(posix.quote(folder) for folder in environment.last),
            )
        )
