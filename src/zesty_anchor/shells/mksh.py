"""mksh(1). The manual's section "INVOCATION" says which files it reads."""

from __future__ import annotations

from pathlib import Path

from zesty_anchor.shells import korn
from zesty_anchor.shells.environment import Environment
from zesty_anchor.shells.korn_follow import Dialect
from zesty_anchor.shells.ksh import Ksh
from zesty_anchor.shells.tracing import TracePrompt

# mksh(1), "Substitution": ${|...} runs in the shell itself, and gives what REPLY holds, here nothing.
_AT_PROMPT = "case ${PS1-} in *za__prompt*) ;; *) PS1=${PS1-}'${|za__prompt;}' ;; esac\n"
# An alias that is there already stays, since its text could be had from another process alone: the prompt
# follows then.
_AT_CD = (
    korn.CD
    + """\
if ! \\alias cd >/dev/null 2>&1; then
  if \\typeset -f cd >/dev/null; then
    [[ -n ${za__cd-} ]] || \\alias cd=za__cd
  else
    za__cd=1
    function cd { \\builtin cd "$@" && { [[ $PWD == "$za__where" ]] || za__look; }; }
  fi
fi
"""
)


class Mksh(Ksh):
    """mksh(1)."""

    name = "mksh"
    programs = ("mksh",)
    endings = ("mksh",)
    lags = False
    prompt = TracePrompt(clock="$EPOCHREALTIME")
    clock = korn.counting("za_mark() { local za_s=$?; MARK return $za_s; }", "EPOCHREALTIME")
    file = ".mkshrc"
    manual = 'mksh(1), "INVOCATION"'

    def unfit(self, home: Path) -> str:
        """Why it cannot be set up in this home: nothing."""
        return ""

    def dialect(self, environment: Environment) -> Dialect:
        """Where this one differs."""
        return Dialect(self.name, "${KSH_VERSION-}", _AT_PROMPT, _AT_CD)
