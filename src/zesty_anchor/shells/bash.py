"""bash(1). The manual's section "INVOCATION" says which files it reads."""

from __future__ import annotations

from zesty_anchor.shells import completion, korn
from zesty_anchor.shells.korn_follow import Dialect
from zesty_anchor.shells.shell import (
    INTERACTIVE,
    LOGIN,
    LOGIN_INTERACTIVE,
    OVER_SSH,
    Context,
    Environment,
    Reading,
    Site,
    Surroundings,
)
from zesty_anchor.shells.system_rules import rules

_LOGIN = (".bash_profile", ".bash_login", ".profile")

# bash(1), "PROMPTING": from 5.1 on PROMPT_COMMAND may be an array, whose elements are run one after the other.
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
    contexts: tuple[Context, ...] = (LOGIN, INTERACTIVE, LOGIN_INTERACTIVE, OVER_SSH)

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
        """The login file is the first of the three that exists. Where none does it is .profile, which hides none of the
        others and which other shells read too, so what it sources is in the language of sh; or what the system's rules say.
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

    def completion(self, environment: Environment, file: str) -> str:
        """The text of the file that completes our own commands."""
        return completion.bash(environment, self.quote)
