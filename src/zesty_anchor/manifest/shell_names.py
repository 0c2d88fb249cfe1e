"""The shells by name. Their classes are in ``zesty_anchor.shells``, a file each.

Another package adds one as an entry point of the group ``zesty_anchor.shells`` (docs/extending.md).
"""

from __future__ import annotations

from typing import Protocol

from zesty_anchor.system.registry import Registry


class NamedShell(Protocol):
    """What a manifest needs to know of a shell: as in ``zesty_anchor.shells.shell.Shell``."""

    read_only: str


SHELL_CLASSES: Registry[type[NamedShell]] = Registry(
    "shell",
    {
        "bash": "zesty_anchor.shells.bash:Bash",
        "zsh": "zesty_anchor.shells.zsh:Zsh",
        "fish": "zesty_anchor.shells.fish:Fish",
        "ksh": "zesty_anchor.shells.ksh:Ksh",
        "mksh": "zesty_anchor.shells.mksh:Mksh",
        "tcsh": "zesty_anchor.shells.tcsh:Tcsh",
        "sh": "zesty_anchor.shells.sh:Sh",
    },
    "zesty_anchor.shells",
)
