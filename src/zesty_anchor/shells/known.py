"""The shells that this program knows, by name, and the files that it generates."""

from __future__ import annotations

from collections.abc import Callable

from zesty_anchor.shells import graphical, launch
from zesty_anchor.shells.bash import Bash
from zesty_anchor.shells.fish import Fish
from zesty_anchor.shells.ksh import Ksh
from zesty_anchor.shells.mksh import Mksh
from zesty_anchor.shells.sh import Sh
from zesty_anchor.shells.shell import Completer, Environment, Follower, Shell
from zesty_anchor.shells.tcsh import Tcsh
from zesty_anchor.shells.zsh import Zsh

SHELLS: dict[str, Shell] = {shell.name: shell for shell in (Bash(), Zsh(), Fish(), Ksh(), Mksh(), Tcsh(), Sh())}
"""Each is also the name of the language that its generated file is written in."""

LAUNCH, SESSION, FOLLOW, COMPLETE, VALUES = "launch", "session", "follow.", "complete.", "values.zsh"

FOLLOWING: dict[str, Follower] = {"bash": Bash(), "zsh": Zsh(), "fish": Fish(), "ksh": Ksh(), "mksh": Mksh()}
"""The shells that follow the current folder: what they need for that stands in a second file."""

COMPLETING: dict[str, Completer] = {"bash": Bash(), "zsh": Zsh(), "fish": Fish()}
"""The shells that complete our own commands: what they need for that stands in a file of its own."""

GENERATED: dict[str, Callable[[Environment, str], str]] = {
    **{f"{FOLLOW}{name}": shell.on_demand for name, shell in FOLLOWING.items()},
    **{f"{COMPLETE}{name}": shell.completion for name, shell in COMPLETING.items()},
    LAUNCH: launch.common,
    VALUES: Zsh().values,
    **{name: shell.environment for name, shell in SHELLS.items() if name != "fish"},
    "fish": SHELLS["fish"].environment,
    SESSION: graphical.environment,
}
"""What is generated, given the environment and the file that it will stand in: a file that reads another one after that one,
and last those that something reads without a line of ours in a startup file. So a shell that starts in between finds all of it.
"""
