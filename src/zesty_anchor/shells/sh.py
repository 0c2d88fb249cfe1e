"""sh(1), as POSIX describes it; Debian's is dash(1). It has no way to follow the current folder without a
process, so the launchers stand first on PATH and do it.
"""

from __future__ import annotations

from pathlib import Path
from typing import ClassVar

from zesty_anchor.shells import posix
from zesty_anchor.shells.environment import Environment
from zesty_anchor.shells.reading import ASKED, LOGIN, LOGIN_INTERACTIVE, Context, Reading, Site, Surroundings
from zesty_anchor.shells.shell import Shell
from zesty_anchor.shells.tracing import Started, TracePrompt, TraceStart

# Other shells read .profile too. One that has a generated file of its own gets that.
_DISPATCH = """\
za__file=
case ${{za__plain-}}${{BASH_VERSION:+bash}}${{ZSH_VERSION:+zsh}}${{KSH_VERSION-}} in
  1*) ;;
  bash) za__file={bash} ;;
  zsh) za__file={zsh} ;;
  *MIRBSD* | *LEGACY*) za__file={mksh} ;;
  *93*) za__file={ksh} ;;
esac
if [ -n "$za__file" ] && [ -r "$za__file" ]; then
  . "$za__file"
  \\unset za__file
  return 0
fi
\\unset za__file
"""

_INTERACTIVE = """\
case $- in *i*)
za() {{
  case ${{1-}} in
    switch)
      za__out=$(ZESTY_ANCHOR_SHELL=sh {program} "$@") || return
      case $za__out in
        'session: '*) ZESTY_ANCHOR_SESSION=${{za__out#session: }}; \\export ZESTY_ANCHOR_SESSION ;;
        ?*) \\printf '%s\\n' "$za__out" ;;
      esac
      \\unset za__out ;;
    *) ZESTY_ANCHOR_SHELL=sh {program} "$@" ;;
  esac
}}
\\alias zesty-anchor=za
;; esac
"""


class Sh(Shell):
    """sh(1)."""

    name = "sh"
    programs: ClassVar[tuple[str, ...]] = ("dash", "sh")
    contexts: ClassVar[tuple[Context, ...]] = (LOGIN, LOGIN_INTERACTIVE)
    like_sh = True
    endings = ("sh",)
    prompt = TracePrompt()

    def reads(self, around: Surroundings) -> tuple[Reading, ...]:
        """An interactive one reads the file that ENV names, which belongs to other shells as well."""
        return (Reading(around.home / ".profile", "login", 'dash(1), "Invocation"'),)

    def sites(self, around: Surroundings) -> tuple[Site, ...]:
        """The startup files that get the block."""
        return (Site(around.home / ".profile", self.name),)

    def quote(self, text: str) -> str:
        """``text`` as one word of its language, byte for byte."""
        return posix.quote(text)

    def block(self, generated: Path, home: Path, *, early: bool = False) -> str:
        """The one line, without a line end, that sources the generated file."""
        return posix.block(generated, home, early=early)

    def environment(self, environment: Environment, file: str) -> str:
        """The text of the generated file, which will stand at ``file``."""
        files = {
            n: posix.quote(f"{environment.shell}/environment.{n}") for n in ("bash", "zsh", "ksh", "mksh")
        }
        return "".join(
            [
                posix.HEAD.format(stamp=environment.stamp),
                _DISPATCH.format(**files),
                posix.exports(environment),
                posix.place_scripted(environment),
                _apart(environment.lines_of(self.name)),
                _INTERACTIVE.format(program=posix.words(environment.program)),
            ]
        )

    def greets(self, file: Path, home: Path) -> str:
        """One for all that are like sh."""
        q = posix.home_word(file, home)
        return (
            f"case $-:${{{ASKED}-}} in *i*:) if [ -s {q} ] && [ -t 1 ]; then IFS= \\read -r za__line <{q} &&"
            f" \\printf '%s\\n' \"$za__line\"; {{ : >|{q}; }} 2>/dev/null; \\unset za__line; fi ;; esac"
        )

    def behind(self, lines: str) -> str:
        """``lines`` such that folders which they put first on PATH end up behind those that are there."""
        return posix.behind(lines)

    def reload(self, generated: Path, home: Path) -> str:
        """The line that a person types to bring an open shell up to date."""
        return posix.reload(generated, home)

    def script(self, file: str, *, here: bool = False) -> str:
        """A command line of its own that runs a file in the language of sh, in the shell itself where it
        can.
        """
        return posix.script(file)

    def traced(self, start: TraceStart) -> Started:
        """It traces itself (-x), with what PS4 says (POSIX.1-2017, XCU 2.5.3)."""
        return [start.program, "-x", *start.options, "-c", f"set +x; {start.source}"], self.said_by(start)

    def said_by(self, start: TraceStart) -> dict[str, str]:
        """The environment that makes the trace tell what is asked."""
        assert self.prompt is not None
        return {"PS4": self.prompt.text(start.variable)}


def _apart(hooks: str) -> str:
    """The lines of sh itself: a shell that reads this file for its own non-interactive sake has its own."""
    return f'if [ -z "${{za__plain-}}" ]; then\n{hooks}fi\n' if hooks else ""
