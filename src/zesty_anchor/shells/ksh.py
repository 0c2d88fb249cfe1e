"""ksh(1), the AT&T one of 1993 and later. The manual's section "Invocation" says which files it reads."""

from __future__ import annotations

from pathlib import Path
from typing import ClassVar

from zesty_anchor.shells import korn
from zesty_anchor.shells.environment import Environment
from zesty_anchor.shells.korn_follow import Dialect
from zesty_anchor.shells.reading import INTERACTIVE, LOGIN, LOGIN_INTERACTIVE, Reading, Site, Surroundings
from zesty_anchor.shells.tracing import TracePrompt

# ksh(1), "Discipline Functions": called whenever the prompt is looked up, in the shell itself.
_AT_PROMPT = "\\typeset -f PS1.get >/dev/null || function PS1.get { za__prompt; }\n"
# A command substitution of builtins starts nothing in ksh ("Command Substitution"). whence gives the value of
# an alias, else the name. It is asked rather than alias, which says of a name without one that it has none:
# for the words of that, ksh looks below each folder on PATH.
_AT_CD = (
    korn.CD
    + """\
za__cd_alias=$(\\command whence cd)
case $za__cd_alias in
  *za__*) ;;
  cd)
    if \\typeset -f cd >/dev/null; then
      [[ -n ${za__cd-} ]] || \\alias cd=za__cd
    else
      za__cd=1
      function cd { \\command cd "$@" && { [[ $PWD == "$za__where" ]] || za__look; }; }
    fi ;;
  *[\\;\\|\\&]*) ;;
  *) \\eval "za__cd_alias=$za__cd_alias"; \\alias cd="za__after $za__cd_alias" ;;
esac
\\unset za__cd_alias
"""
)


class Ksh(korn.Korn):
    """ksh(1)."""

    name = "ksh"
    programs: ClassVar[tuple[str, ...]] = ("ksh93", "ksh")
    contexts = (LOGIN, INTERACTIVE, LOGIN_INTERACTIVE)
    endings = ("ksh",)
    lags = True
    prompt = TracePrompt(clock="$SECONDS", file="${.sh.file}", depth="${.sh.subshell}")
    clock = korn.counting(
        "typeset -F6 SECONDS; function za_mark { typeset za_s=$?; MARK return $za_s; }", "SECONDS"
    )
    file = ".kshrc"
    manual = 'ksh(1), "Invocation"'

    def reads(self, around: Surroundings) -> tuple[Reading, ...]:
        """ENV, where it is set, names the file that an interactive one reads."""
        return (
            Reading(around.home / ".profile", "login", self.manual),
            Reading(around.env or around.home / self.file, "interactive", self.manual),
        )

    def unfit(self, home: Path) -> str:
        """ENV, whose default is a file in the home, is a text to be expanded (ksh(1), "Parameter Expansion",
        ENV).
        """
        found = next((letter for letter in str(home) if letter in "'\"$`\\"), "")
        return f"it does not find its startup file in a home whose path holds {found}" if found else ""

    def leaves(self, around: Surroundings) -> tuple[Path, ...]:
        """An interactive one makes its history."""
        return (around.home / ".sh_history",)

    def sites(self, around: Surroundings) -> tuple[Site, ...]:
        """The file that ENV names may be read by other shells too: it gets the language of sh."""
        interactive = Site(around.env, "sh") if around.env else Site(around.home / self.file, self.name)
        return (Site(around.home / ".profile", "sh"), interactive)

    def dialect(self, environment: Environment) -> Dialect:
        """Where this one differs."""
        return Dialect(
            self.name, "${KSH_VERSION-}", _AT_PROMPT, _AT_CD, cd_is_alias="[[ $(\\command whence cd) != cd ]]"
        )
