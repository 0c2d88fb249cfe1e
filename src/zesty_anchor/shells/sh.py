"""sh(1), as POSIX describes it; Debian's is dash(1). It has no way to follow the current folder without a process, so
the launchers stand first on PATH and do it.
"""

from __future__ import annotations

from pathlib import Path

from zesty_anchor.shells import posix
from zesty_anchor.shells.shell import LOGIN, LOGIN_INTERACTIVE, Context, Environment, Reading, Site, Surroundings

# Other shells read .profile too. One that has a generated file of its own gets that.
_DISPATCH = """\
zesty_anchor_file=
case ${{zesty_anchor_plain-}}${{BASH_VERSION:+bash}}${{ZSH_VERSION:+zsh}}${{KSH_VERSION-}} in
  1*) ;;
  bash) zesty_anchor_file={bash} ;;
  zsh) zesty_anchor_file={zsh} ;;
  *MIRBSD* | *LEGACY*) zesty_anchor_file={mksh} ;;
  *93*) zesty_anchor_file={ksh} ;;
esac
if [ -n "$zesty_anchor_file" ] && [ -r "$zesty_anchor_file" ]; then
  . "$zesty_anchor_file"
  unset zesty_anchor_file
  return 0
fi
unset zesty_anchor_file
"""

_INTERACTIVE = """\
case $- in *i*)
za() {{
  case ${{1-}} in
    switch)
      zesty_anchor_out=$(ZESTY_ANCHOR_SHELL=sh {program} "$@") || return
      case $zesty_anchor_out in
        'session: '*) ZESTY_ANCHOR_SESSION=${{zesty_anchor_out#session: }}; export ZESTY_ANCHOR_SESSION ;;
        ?*) printf '%s\\n' "$zesty_anchor_out" ;;
      esac
      unset zesty_anchor_out ;;
    *) ZESTY_ANCHOR_SHELL=sh {program} "$@" ;;
  esac
}}
alias zesty-anchor=za
;; esac
"""


class Sh:
    """sh(1)."""

    name = "sh"
    programs: tuple[str, ...] = ("dash", "sh")
    contexts: tuple[Context, ...] = (LOGIN, LOGIN_INTERACTIVE)
    check = "-n"

    def reads(self, around: Surroundings) -> tuple[Reading, ...]:
        """See ``Shell``. An interactive one reads the file that ENV names, which belongs to other shells as well."""
        return (Reading(around.home / ".profile", "login", 'dash(1), "Invocation"'),)

    def leaves(self, around: Surroundings) -> tuple[Path, ...]:
        """See ``Shell``."""
        return ()

    def sites(self, around: Surroundings) -> tuple[Site, ...]:
        """See ``Shell``."""
        return (Site(around.home / ".profile", self.name),)

    def quote(self, text: str) -> str:
        """See ``Shell``."""
        return posix.quote(text)

    def block(self, generated: Path, home: Path, *, early: bool = False) -> str:
        """See ``Shell``."""
        return posix.block(generated, home, early=early)

    def environment(self, environment: Environment, file: str) -> str:
        """See ``Shell``."""
        files = {n: posix.quote(f"{environment.shell}/environment.{n}") for n in ("bash", "zsh", "ksh", "mksh")}
        return "".join(
            [
                posix.HEAD.format(stamp=environment.stamp),
                _DISPATCH.format(**files),
                posix.exports(environment),
                posix.place_scripted(environment),
                environment.hooks_of(self.name),
                _INTERACTIVE.format(program=posix.words(environment.program)),
            ]
        )

    def reload(self, generated: Path, home: Path) -> str:
        """See ``Shell``."""
        return posix.reload(generated, home)

    def script(self, file: str) -> str:
        """See ``Shell``."""
        return posix.script(file)
