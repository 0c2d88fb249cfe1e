"""bash(1). The manual's section "INVOCATION" says which files it reads."""

from __future__ import annotations

import os
from collections.abc import Sequence
from pathlib import Path

from zesty_anchor.shells import completion, korn
from zesty_anchor.shells.environment import Environment
from zesty_anchor.shells.korn_follow import Dialect
from zesty_anchor.shells.reading import (
    INTERACTIVE,
    LOGIN,
    LOGIN_INTERACTIVE,
    OVER_SSH,
    Reading,
    Site,
    Surroundings,
)
from zesty_anchor.shells.system_rules import rules
from zesty_anchor.shells.tracing import CHANNEL, FileLine, Started, TracePrompt, TraceStart

_LOGIN = (".bash_profile", ".bash_login", ".profile")

# bash(1), "PROMPTING": from 5.1 on PROMPT_COMMAND may be an array, whose elements are run one after the
# other.
_AT_PROMPT = r"""\
case ${PROMPT_COMMAND[*]-} in
  *za__prompt*) ;;
  *)
    if [[ ${BASH_VERSINFO[0]} -gt 5 || ${BASH_VERSINFO[0]} == 5 && ${BASH_VERSINFO[1]} -ge 1 ]]; then
      PROMPT_COMMAND+=(za__prompt)
    else
      PROMPT_COMMAND="${PROMPT_COMMAND:+$PROMPT_COMMAND"$'\n'"}za__prompt"
    fi ;;
esac
"""
# Another cd than ours stays: see korn.py.
_AT_CD = (
    korn.CD
    + """\
case ${BASH_ALIASES[cd]-} in
  za__*) ;;
  ?*) case ${BASH_ALIASES[cd]} in *[\\;\\|\\&]*) ;; *) \\alias cd="za__after ${BASH_ALIASES[cd]}" ;; esac ;;
  *)
    if \\typeset -f cd >/dev/null; then
      [[ -n ${za__cd-} ]] || \\alias cd=za__cd
    else
      za__cd=1
      function cd { \\builtin cd "$@" && { [[ $PWD == "$za__where" ]] || za__look; }; }
      function pushd { \\builtin pushd "$@" && za__entered; }
      function popd { \\builtin popd "$@" && za__entered; }
    fi ;;
esac
"""
)

_COMPLETES = """\
function za__complete {{
  za__completes=
  [[ ! -r {file} ]] || \\. {file}
  [[ -z $za__completes ]] || za__complete "$@"
}}
\\complete -F za__complete zesty-anchor za
"""


class Bash(korn.Korn):
    """bash(1)."""

    name = "bash"
    programs = ("bash",)
    contexts = (LOGIN, INTERACTIVE, LOGIN_INTERACTIVE, OVER_SSH)
    endings = ("bash",)
    read_only = "BASHOPTS BASH_VERSINFO EUID PPID SHELLOPTS UID"
    completes = True
    names_lines = True
    channel = CHANNEL
    prompt = TracePrompt(
        clock="$EPOCHREALTIME",
        file="${BASH_SOURCE[0]-}",
        depth="$BASH_SUBSHELL",
        call="${FUNCNAME[0]-} ${BASH_LINENO[0]-} ${BASH_SOURCE[1]-}",
    )
    clock = korn.counting("za_mark() { local za_s=$?; MARK return $za_s; }", "EPOCHREALTIME")

    def reads(self, around: Surroundings) -> tuple[Reading, ...]:
        """At login it reads the first of three; else, when interactive, .bashrc.

        Debian's, and others, are built so that a command over ssh reads .bashrc too.
        """
        source = 'bash(1), "INVOCATION"'
        first = next((n for n in _LOGIN if around.home / n in around.existing), None)
        return (
            *(Reading(around.home / n, "login" if n == first else "hidden", source) for n in _LOGIN),
            Reading(around.home / ".bashrc", "interactive, or ssh", source),
        )

    def sites(self, around: Surroundings) -> tuple[Site, ...]:
        """The login file is the first of the three that exists. Where none does it is .profile, which hides
        none of the others and which other shells read too, so what it sources is in the language of sh; or
        what the system's rules say.
        """
        fallback = rules(around.system).bash_login
        login = next((n for n in _LOGIN if around.home / n in around.existing), fallback)
        interactive = around.home / ".bashrc"
        return (
            Site(around.home / login, "sh" if login == ".profile" else self.name),
            Site(interactive, self.name, interactive in around.guarded),
        )

    def dialect(self, environment: Environment) -> Dialect:
        """Where this one differs."""
        return Dialect(
            self.name, "${BASH_VERSION-}", _AT_PROMPT, _AT_CD, completes=_COMPLETES, says="printf '%s\\n'",
        )  # fmt: skip

    def traced(self, start: TraceStart) -> Started:
        """The trace goes to a descriptor of its own (bash(1), "BASH_XTRACEFD")."""
        more = {**self.said_by(start), "BASH_XTRACEFD": str(self.channel)}
        if os.geteuid() != 0:
            return super().traced(start)[0], more
        file = str(self._as_root(start, more["PS4"]))
        if "-i" in start.options:
            return [start.program, "--rcfile", file, "-i", "-c", start.source], more
        if start.context.variables:  # over ssh it reads ~/.bashrc, and so what is given in its place
            return [start.program, "--rcfile", file, "-c", start.source], more
        return [start.program, "-c", start.source], {**more, "BASH_ENV": file}

    def _as_root(self, start: TraceStart, prompt: str) -> Path:
        """Run as root it takes no PS4 from the environment (bash(1), "PS4"): a file of ours sets it, and then
        reads those that this start would read, in their order. It is read in place of ~/.bashrc, or where
        there is no terminal by BASH_ENV.
        """
        script = ["unset BASH_ENV", f"PS4={self.quote(prompt)}", "set -x"]
        held = set(start.options)
        files = ["/etc/profile"] if "-l" in held else ["/etc/bash.bashrc"] if "-i" in held else []
        for reading in start.readings:
            login = reading.when == "login" and "-l" in held
            plain = "interactive" in reading.when and "-i" in held and "-l" not in held
            over_ssh = "ssh" in reading.when and bool(start.context.variables)
            if login or plain or over_ssh:
                files.append(str(reading.file))
        script += [f"[ ! -r {self.quote(file)} ] || . {self.quote(file)}" for file in dict.fromkeys(files)]
        script.append("{ set +x; } 2>/dev/null")
        file = start.room / "rc"
        file.write_text("\n".join(script) + "\n", "utf-8", "surrogateescape")
        return file

    def functions(self, rows: Sequence[str]) -> dict[str, FileLine | None]:
        """``declare -F`` gives name, line and file (bash(1), "extdebug")."""
        found: dict[str, FileLine | None] = {}
        for row in rows:
            name, line, file = (*row.split(" ", 2), "", "")[:3]
            found[name] = (file, int(line)) if line.isdigit() and file.startswith("/") else None
        return found

    def completion(self, environment: Environment, file: str) -> str:
        """The text of the file that completes our own commands."""
        return completion.bash(environment, self.quote)
