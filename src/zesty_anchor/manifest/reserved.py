"""Variables that a manifest may not set, since a shell would break, or refuses it, or means something else by
them.
"""

from __future__ import annotations

from functools import cache

from zesty_anchor.manifest.shell_names import SHELL_CLASSES

_OF_THE_SYSTEM = "HOME PWD OLDPWD SHELL SHLVL USER LOGNAME _ OPTIND OPTARG OPTERR RANDOM SECONDS"
"""What login(1) and every shell set themselves (POSIX.1-2017, XBD 8.3)."""
_PARSING = "IFS ENV BASH_ENV POSIXLY_CORRECT PS4 PROMPT_COMMAND ZDOTDIR FPATH fpath cdpath manpath"
"""What changes how a shell reads its own files."""
_PATHS = ("PATH", "path", "fish_user_paths")

_WHY = {
    **dict.fromkeys(_OF_THE_SYSTEM.split(), "login and the shells set it themselves"),
    **dict.fromkeys(_PARSING.split(), "it changes how shells read their startup files"),
    **dict.fromkeys(_PATHS, "it is made of what the manifest, the system and you put on it"),
}


def why_reserved(name: str) -> tuple[str, str]:
    """Why a variable may not be set, and what to write instead; two empty texts for one that may. Pure."""
    if name in _PATHS:
        return _WHY[name], 'name the folders: [path] first = ["~/bin"]'
    if name.upper().startswith("ZESTY_ANCHOR"):
        return "this program uses such names itself", "choose another name"
    why = _WHY.get(name) or _of_shells().get(name, "")
    return (why, "set it in a startup file of your own, if it must be") if why else ("", "")


@cache
def _of_shells() -> dict[str, str]:
    """What shells let nobody set: bash(1), "Shell Variables"; zshparam(1), "Parameters Set By The Shell";
    fish(1), "Special variables"; tcsh(1), "Special shell variables".
    """
    return {
        name: f"{word} lets nobody set it"
        for word, shell in SHELL_CLASSES.items()
        for name in shell.read_only.split()
    }
