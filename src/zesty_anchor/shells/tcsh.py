"""tcsh(1). The manual's section "Startup and shutdown" says which files it reads."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path

from zesty_anchor.shells import completion, posix
from zesty_anchor.shells.apart import Apart
from zesty_anchor.shells.environment import Environment
from zesty_anchor.shells.reading import ASKED, INTERACTIVE, MARK, SCRIPT, Context, Reading, Site, Surroundings
from zesty_anchor.shells.shell import HIDING
from zesty_anchor.shells.tracing import CHANNEL, Started, TraceStart

_SOURCE = 'tcsh(1), "Startup and shutdown"'

# :q keeps a word whole ("Variable substitution"). It knows no functions that could follow the current folder
# without a process, so the launchers stand first on PATH. What is on the shelf is replaced by one of ours,
# and what is there twice goes then ("Builtin commands", set -f): a loop that gathers the rest takes the
# square of what is on PATH. Where ours stand first already, this file was read before.
_PLACE = """\
if ( ! $?PATH ) setenv PATH {default}
if ( "$PATH" !~ {done} ) then
  set za__out = ( $path:q )
  if ( "$PATH" =~ *{shelf}*{late} ) then
    set za__at = 1
    foreach za__entry ( $path:q )
      if ( $za__entry:q =~ {shelf}*{each} ) set za__out[$za__at] = {launchers}
      @ za__at++
    end
    unset za__at za__entry
  endif
  set -f path = ( {first} $za__out:q {last} )
  unset za__out
endif
"""
_ALIASES = r"""if ( $?prompt ) then
  set za__program = ( {program} )
  alias za 'set za__out = "`env ZESTY_ANCHOR_SHELL=tcsh $za__program:q \!*`"; set za__words = ( $za__out:q ); if ( "$za__out" =~ session:* ) set za__words = ( $za__out ); if ( "$za__out" =~ session:* ) setenv ZESTY_ANCHOR_SESSION "$za__words[2-]"; if ( "$za__out" !~ session:* ) printf "%s\n" $za__words:q'
  alias zesty-anchor za
endif
"""


class Tcsh(Apart):
    """tcsh(1)."""

    name = "tcsh"
    programs = ("tcsh",)
    contexts = (Context("login", (), login_name=True), INTERACTIVE, SCRIPT)
    endings = ("tcsh", "csh")
    at_terminal = "if ( -t 1 ) "
    read_only = "argv cwd home path prompt shell status term tty uid user gid group"
    aliases_always = True
    channel = CHANNEL
    traces_at_terminal = True

    def reads(self, around: Surroundings) -> tuple[Reading, ...]:
        """.tcshrc where it exists, else .cshrc; both before .login."""
        first = ".tcshrc" if around.home / ".tcshrc" in around.existing else ".cshrc"
        return (
            Reading(around.home / ".tcshrc", "always" if first == ".tcshrc" else "hidden", _SOURCE),
            Reading(around.home / ".cshrc", "always" if first == ".cshrc" else "hidden", _SOURCE),
            Reading(around.home / ".login", "login", _SOURCE),
        )

    def sites(self, around: Surroundings) -> tuple[Site, ...]:
        """A new .tcshrc would hide a .cshrc, so that is the one where it exists; .login comes later."""
        names = (
            [".cshrc"]
            if {around.home / ".tcshrc", around.home / ".cshrc"} & around.existing == {around.home / ".cshrc"}
            else [".tcshrc"]
        )
        if around.home / ".login" in around.existing:
            names.append(".login")
        return tuple(Site(around.home / name, self.name) for name in names)

    def quote(self, text: str) -> str:
        """In single quotes a quote, a ``!`` and a line end must be taken out by a backslash
        ("Lexical structure", "History substitution").
        """
        return "'" + text.replace("'", "'\\''").replace("!", "\\!").replace("\n", "\\\n") + "'"

    def exported(self, name: str, value: str) -> str:
        """The line that gives an environment variable its value."""
        return f"setenv {name} {self.quote(value)}"

    def block(self, generated: Path, home: Path, *, early: bool = False) -> str:
        """The one line, without a line end, that sources the generated file."""
        word = posix.home_word(generated, home)
        if "\n" in str(home) and home in generated.parents:  # which ends double quotes
            word = self._word(generated, home)
        return f"if ( -r {word} ) source {word} {MARK}"

    def _word(self, path: Path, home: Path) -> str:
        """A path as one word that stays right when the home is mounted elsewhere, whatever its name holds."""
        if home not in path.parents:
            return self.quote(str(path))
        return f"$HOME:q{self.quote(f'/{path.relative_to(home)}')}"

    def greets(self, file: Path, home: Path) -> str:
        """It reads no file by itself: where there is something to print, cat(1) does."""
        q = self._word(file, home)
        asked = f"if ( $?prompt && ! $?{ASKED} ) then\nif ( -s {q} ) then"
        return f"{asked}\ncat {q}\n'echo' -n >! {q}\nendif\nendif"

    def script(self, file: str, *, here: bool = False) -> str:
        """A command line of its own that runs a file in the language of sh, in the shell itself where it
        can.
        """
        goes = "" if here else "\\cd / >& /dev/null; "
        return f'{goes}set za__all = (`alias | cut -f1`); setenv {HIDING} "$za__all"; sh {self.quote(file)}'

    def path_forms(self) -> tuple[Callable[[str], str], ...]:
        """In single quotes, and in patterns."""
        return (lambda text: self.quote(text)[1:-1], lambda text: pattern(text)[1:-1])

    def traced(self, start: TraceStart) -> Started:
        """It shows each line that it executes on its terminal (tcsh(1), -V); what it has then, a sh that it
        starts tells, but for its aliases.
        """
        return [start.program, "-V", *start.options, "-c", f"alias | sh {start.probe} >{start.told}"], {}

    def environment(self, environment: Environment, file: str) -> str:
        """The text of the generated file, which will stand at ``file``."""
        q = self.quote
        values = ((name, environment.by_default(template)) for name, template in environment.variables)
        lines = [f"setenv {name} {q(value)}\n" for name, value in values if value is not None]
        complete = "".join(
            f"  if ( -r {q(f)} ) source {q(f)}\n" for f in environment.completions_of(self.name)
        )
        return "".join(
            [
                posix.HEAD.format(stamp=environment.stamp),
                *lines,
                f"setenv ZESTY_ANCHOR_LOADED {environment.stamp}\n",
                _PLACE.format(
                    default=q("/usr/bin:/bin"),
                    done=pattern(":".join(environment.scripted) + ":") + "*",
                    shelf=pattern(environment.shelf + "/"),
                    late="".join(f' || ":$PATH" =~ *:{pattern(folder)}:*' for folder in environment.last),
                    each="".join(f" || $za__entry:q == {q(folder)}" for folder in environment.last),
                    launchers=q(environment.launchers),
                    first=" ".join(map(q, environment.scripted)),
                    last=" ".join(map(q, environment.last)),
                ),
                environment.lines_of(self.name),
                f"if ( $?prompt ) then\n{complete}{completion.tcsh(environment, q)}endif\n",
                _ALIASES.format(program=" ".join(map(q, environment.program))),
            ]
        )


def pattern(text: str) -> str:
    """A pattern that only this text fits: quotes do not take a letter's meaning as a pattern away."""
    return Tcsh().quote(re.sub(r"([*?\[\]{}^~\\])", r"[\1]", text))
