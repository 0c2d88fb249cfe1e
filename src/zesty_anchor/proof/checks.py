"""What is checked in each new shell: from what is wanted to questions. Pure."""

from __future__ import annotations

import base64
import re
from pathlib import Path

import msgspec

from zesty_anchor.manifest.check import Check
from zesty_anchor.manifest.model import Identity, KnownHost
from zesty_anchor.manifest.recipe import Program
from zesty_anchor.manifest.wanted import Wanted, WantedVersion
from zesty_anchor.proof.question import Question
from zesty_anchor.shells.known import SHELLS
from zesty_anchor.shells.posix import quote
from zesty_anchor.shells.shell import HIDING
from zesty_anchor.system.host import env_program
from zesty_anchor.system.locations import Locations
from zesty_anchor.system.ssh import key_file

ENVIRONMENT = f"command {env_program()} -0"
"""Prints the variables of the environment (env(1))."""
LOOKUPS = frozenset({"place", "outside", "once", "variable", "absolute"})
"""The ways of judging whose questions start nothing that belongs to a runtime."""


def questions(wanted: Wanted, locations: Locations) -> list[Question]:
    """Everything that a new shell must answer. Where nothing follows the folder, a command may be its
    launcher.
    """
    asked: list[Question] = []
    for version in wanted.versions:
        if version.default:
            commands = (*version.recipe.commands, *(c for extra in version.extras for c in extra.commands))
            asked += [_where(version, command, locations.launchers) for command in dict.fromkeys(commands)]
        asked += _which(version)
    for command in wanted.of_system:
        name = f"the system's {command} is found"
        not_in = f"{wanted.shelf}\0{locations.home}"
        asked.append(Question(name, f"command -v {command}", not_in, "outside", command))
    for name, value in wanted.by_default:
        asked.append(Question(f"${name}", ENVIRONMENT, value, "variable", f"${name}"))
    for host in wanted.identity.hosts if wanted.identity else ():
        if host.user and wanted.identity:
            asked.append(
                Question(
                    f"{host.label} takes the key of {host.user}",
                    _login(host, wanted.identity, locations.home),
                    "",
                    "glob",
                    shared=True,
                )
            )
    folders = tuple(dict.fromkeys((*wanted.path_first, *wanted.default_bins, *wanted.path_last)))
    if folders:
        asked.append(Question("PATH holds our folders once", ENVIRONMENT, ":".join(folders), "once", "PATH"))
    return asked


ABSOLUTE = Question("every PATH entry is absolute", ENVIRONMENT, "", "absolute", "PATH")
"""An empty or relative entry has a shell run what is in the current folder (POSIX.1-2017, XBD 8.3). It is
reported whoever added it.
"""


def personal(check: Check, wanted: Wanted) -> Question:
    """A command line of the manifest's, run in its own folder, else the manifest's. It is about the first
    command in it that a version gives.
    """
    given = {
        c
        for v in wanted.defaults
        for c in (*v.recipe.commands, *(c for extra in v.extras for c in extra.commands))
    }
    words = re.findall(r"[\w.+-]+", check.run or "")
    run = f"cd {quote(check.folder or str(wanted.folder))} && {check.run}"
    about = next((word for word in words if word in given), "")
    return Question(check.name, run, check.match or check.expect or "*", "check", about, check=check)


def follows(shell: str) -> Question:
    """An interactive shell that follows the current folder looks at each one that it enters: what it does at
    ``cd`` is the function that tells it. One whose language is not like sh tells the names of its functions
    alone.
    """
    looks = (
        'case ${za__where-} in "$PWD") printf "follows\\n" ;; *)'
        ' printf "it does not look at the folder that it enters\\n" ;; esac'
    )
    run = (
        f'case " ${{{HIDING}-}} " in *" za__look "*) echo follows ;; esac'
        if not SHELLS[shell].like_sh
        else f"cd / >/dev/null 2>&1 && {looks}"
    )
    return Question(FOLLOWS, run, "follows", "follows", "cd")


FOLLOWS = "it follows the folder"


def _login(host: KnownHost, identity: Identity, home: Path) -> str:
    """255 is ssh's own status, for no connection or a key that is not taken (ssh(1), "EXIT STATUS")."""
    words = ["-o", "BatchMode=yes", "-o", "StrictHostKeyChecking=yes", "-o", "ConnectTimeout=10", "-p",
    str(host.port),
             "-o", f"UserKnownHostsFile={home}/.ssh/known_hosts"]  # fmt: skip
    words += ["-i", str(key_file(home, identity.key))] if identity.key else []
    shown = " ".join(map(quote, [*words, f"{host.user}@{host.name}", "exit"]))
    return f'said=$(ssh {shown} 2>&1 </dev/null); if [ $? = 255 ]; then printf "%s\\n" "$said"; exit 1; fi'


def programs(wanted: Wanted) -> list[Question]:
    """The recipes' small programs, and the commands of extras, for each version: asked in one shell only,
    since compiling takes its time.
    """
    return [
        question
        for version in wanted.versions
        for question in (
            *([_program(version, version.recipe.program)] if version.recipe.program else []),
            *_started(version),
        )
    ]


_FETCH = """
d=$(mktemp -d) && cd "$d" || exit 1
( {run} ) >/dev/null && [ -n "$(ls -A)" ]
status=$?
cd /; chmod -R u+w "$d"; rm -rf "$d"
exit $status
"""


def fetches(wanted: Wanted) -> list[Question]:
    """Whether the own package tool of each default version reaches its registry: by what it fetches into a
    folder that goes afterwards.
    """
    return [
        Question(
            f"{version.runtime}'s package tool fetches a package",
            f"/bin/sh -c {quote(_FETCH.format(run=version.recipe.online))}",
            "",
            FETCHED,
            version.recipe.commands[0],
        )
        for version in wanted.defaults
        if version.recipe.online
    ]


def without_shells(wanted: Wanted, launchers: Path, *, online: bool = False) -> list[Question]:
    """Where no shell is set up: each version by its folder, and the manifest's checks with PATH and variables
    put in place first, as ``export`` prints them; in a folder of its own a check finds the ``launchers``.
    """
    path = ":".join(map(quote, (*wanted.path_first, *wanted.default_bins)))
    behind = "".join(f":{quote(folder)}" for folder in wanted.path_last)
    exports = "".join(f"export {name}={quote(value)}; " for name, value in wanted.by_default)
    set_up = f"{exports}PATH={path}:$PATH{behind}; " if path else exports
    asked = [
        msgspec.structs.replace(question, run=f"{set_up}{question.run}", shared=False)
        for version in wanted.versions
        for question in _which(version)
    ]
    for check in wanted.checks:
        if check.run is not None:
            question, pinned = personal(check, wanted), f"PATH={quote(str(launchers))}:$PATH; "
            begin = set_up + (pinned if check.folder else "")
            asked.append(msgspec.structs.replace(question, run=f"{begin}{question.run}"))
    if online:
        asked += [msgspec.structs.replace(each, run=f"{set_up}{each.run}") for each in fetches(wanted)]
    return [*asked, *programs(wanted)]


def about(version: WantedVersion) -> list[Question]:
    """The questions whose answers hang on a version alone: which one it is, and whether its small program
    runs. That its commands answer hangs on the shells too, and is asked each time.
    """
    return [
        *_which(version),
        *([_program(version, version.recipe.program)] if version.recipe.program else []),
        *_started(version),
    ]


_NO_START = (
    "Cannot find module", "ERR_MODULE_NOT_FOUND", "ERR_REQUIRE_ESM", "SyntaxError", "ModuleNotFoundError",
    "ImportError", "DistributionNotFound", "LoadError", "GemNotFound", "UndefinedFunctionError",
    "error while loading shared libraries",
)  # fmt: skip
"""What runtimes print of a program that they cannot load, whatever its exit status is."""


_START = """
d=$(mktemp -d) && cd "$d" && export HOME="$d" XDG_CACHE_HOME="$d/.cache" {set}
within() {{ if command -v timeout >/dev/null; then timeout 20 "$@"; else "$@"; fi; }}
for option in --version --help; do
  said=$(within {command} "$option" 2>&1 </dev/null)
  status=$?
  if [ "$status" = 0 ]; then break; fi
done
cd /; chmod -R u+w "$d"; rm -rf "$d"
case $status in
0) exit 0 ;;
126 | 127) printf %s "$said"; exit 1 ;;
esac
case $said in
{broken}) printf %s "$said"; exit 1 ;;
esac
"""


def _started(version: WantedVersion) -> list[Question]:
    """Whether each command that an extra brought can be loaded: ``--version``, else ``--help`` (GNU coding
    standards, "Command-Line Interfaces"). One that knows neither passes, and so does one that goes on
    working.
    """
    path = ":".join(quote(str(b)) for b in version.bins)
    values = " ".join(f"{name}={quote(value)}" for name, value in version.variables)
    broken = "|".join(f"*{quote(words)}*" for words in _NO_START)
    set_up = f'PATH={path}:"$PATH" {values}'
    which = "" if version.default else f" of {version.runtime} {version.version}"
    return [
        Question(
            f"{command}{which} starts",
            f"/bin/sh -c {quote(_START.format(set=set_up, command=quote(command), broken=broken))}",
            "",
            STARTED,
            command,
        )
        for extra in version.extras
        for command in extra.commands
    ]


STARTED, FETCHED = "started", "fetched"


def _program(version: WantedVersion, program: Program) -> Question:
    """The program runs in a folder and a home of its own, so that caches do not stay in the person's."""
    encoded = program.base64 or base64.b64encode(program.text.encode()).decode()
    path = ":".join(quote(str(b)) for b in version.bins)
    values = " ".join(f"{name}={quote(value)}" for name, value in version.variables)
    run = (
        f'd=$(mktemp -d) && cd "$d" && printf %s {encoded} | base64 -d >{quote(program.file)} && '
        f'export HOME="$d" XDG_CACHE_HOME="$d/.cache" PATH={path}:"$PATH" {values}; {program.run}; '
        's=$?; cd /; chmod -R u+w "$d"; rm -rf "$d"; exit $s'
    )
    return Question(
        f"{version.runtime} {version.version} runs a program", run, program.expect, "glob", version.runtime
    )


def _where(version: WantedVersion, command: str, launchers: Path) -> Question:
    folder = next((b for b in version.bins if (b / command).is_file()), None)
    # A function answers with its name alone.
    function = version.recipe.manager is not None and version.recipe.manager.function is not None
    # A launcher is no proof where the version has no such command any more.
    places = f"{folder / command}\0{launchers / command}" if folder else str(version.bins[0] / command)
    places += f"\0{command}" if function else ""
    hidden = f'case " ${{{HIDING}-}} " in *" {command} "*) echo {command} ;; *) command -v {command} ;; esac'
    return Question(f"{command} is found", hidden, places, "place", command)


def _which(version: WantedVersion) -> list[Question]:
    proof = version.recipe.version
    if proof is None:
        return []
    expected = proof.expected(version.version)
    if version.default:
        return [
            Question(
                f"{version.runtime} is {version.version}",
                proof.run,
                expected,
                "glob",
                version.recipe.commands[0],
                shared=True,
            )
        ]
    path = ":".join(quote(str(b)) for b in version.bins)
    return [
        Question(
            f"{version.runtime} {version.version} runs",
            f"PATH={path}:$PATH; {proof.run}",
            expected,
            "glob",
            version.recipe.commands[0],
            shared=True,
        )
    ]
