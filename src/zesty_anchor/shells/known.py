"""The shells that this program knows, by name."""

from __future__ import annotations

from zesty_anchor.shells.bash import Bash
from zesty_anchor.shells.sh import Sh
from zesty_anchor.shells.shell import Shell
from zesty_anchor.shells.zsh import Zsh

SHELLS: dict[str, Shell] = {"bash": Bash(), "zsh": Zsh()}
"""Those that can be set up."""

LANGUAGES: dict[str, Shell] = {**SHELLS, "sh": Sh()}
"""Those that a generated file can be written for."""
