"""Variables that a manifest may not set, since a shell would break, or refuses it, or means something else by them."""

from __future__ import annotations

_READ_ONLY = {
    # bash(1), "Shell Variables"; zshparam(1), "Parameters Set By The Shell"; fish(1), "Special variables"; tcsh(1), "Special
    # shell variables"; ksh(1) and mksh(1), "Parameters".
    "bash": "BASHOPTS BASH_VERSINFO EUID PPID SHELLOPTS UID",
    "zsh": "EGID EUID GID PPID UID USERNAME ARGC HISTCMD LINENO TTYIDLE ZSH_EVAL_CONTEXT ZSH_NAME ZSH_VERSION aliases argv commands "
    "functions galiases history jobstates modules options parameters pipestatus saliases status userdirs",
    "fish": "FISH_VERSION fish_pid hostname pipestatus status version history umask argv",
    "tcsh": "argv cwd home path prompt shell status term tty uid user gid group",
}
_OF_THE_SYSTEM = "HOME PWD OLDPWD SHELL SHLVL USER LOGNAME _ OPTIND OPTARG OPTERR RANDOM SECONDS"
"""What login(1) and every shell set themselves (POSIX.1-2017, XBD 8.3)."""
_PARSING = "IFS ENV BASH_ENV POSIXLY_CORRECT PS4 PROMPT_COMMAND ZDOTDIR FPATH fpath cdpath manpath"
"""What changes how a shell reads its own files."""
_PATHS = ("PATH", "path", "fish_user_paths")

_WHY = {
    **{name: f"{shell} lets nobody set it" for shell, names in _READ_ONLY.items() for name in names.split()},
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
    if name in _WHY:
        return _WHY[name], "set it in a startup file of your own, if it must be"
    return "", ""
