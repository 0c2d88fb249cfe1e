"""The shells that this program knows, by name, and the files that it generates."""

from __future__ import annotations

from collections.abc import Callable

from zesty_anchor.shells import fish_follow, graphical, launch, posix, tcsh
from zesty_anchor.shells.bash import Bash
from zesty_anchor.shells.fish import Fish
from zesty_anchor.shells.ksh import Ksh
from zesty_anchor.shells.mksh import Mksh
from zesty_anchor.shells.sh import Sh
from zesty_anchor.shells.shell import Completer, Environment, Follower, Shell
from zesty_anchor.shells.zsh import Zsh

SHELLS: dict[str, Shell] = {shell.name: shell for shell in (Bash(), Zsh(), Fish(), Ksh(), Mksh(), tcsh.Tcsh(), Sh())}
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


def path_forms(name: str) -> tuple[Callable[[str], str], ...]:
    """Return the ways in which a generated file writes a path: inside its language's quotes, and in its patterns."""

    def inside(quote: Callable[[str], str]) -> Callable[[str], str]:
        return lambda text: quote(text)[1:-1]

    language = name.rpartition(".")[2]
    if name == SESSION:
        return (inside(graphical.quote),)
    if language == "fish":
        patterns = (inside(lambda text: fish_follow.quote(f"{fish_follow.literal(text)}")),)
        return (inside(fish_follow.quote), *patterns)
    if language == "tcsh":
        return (inside(SHELLS["tcsh"].quote), inside(tcsh.pattern))
    return (inside(posix.quote),)
