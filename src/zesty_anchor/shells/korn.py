"""What bash, zsh, ksh and mksh have in common: following the current folder with builtins alone.

The four know ``[[ ]]``, ``typeset`` in functions, and ``function NAME {``, whose name no alias can change.
"""

from __future__ import annotations

from zesty_anchor.shells import posix
from zesty_anchor.shells.environment import Environment
from zesty_anchor.shells.korn_follow import Dialect, looks, on_demand
from zesty_anchor.shells.posix import quote
from zesty_anchor.shells.sh import Sh

# Two files: what every interactive shell reads when it starts, and what it reads when it first has to choose,
# complete or call this program. A shell takes about 8 us to read a simple command, so the first one is short.
#
# {start} comes first in each function that splits words or has names of its own. Local names begin with za_,
# lasting ones with za__: a shell takes its time over every letter.
#
# za__load reads the second file, and tells whether that is there whole: one that was taken away while a shell
# is open must not have a function call itself for ever.
#
# za__look finds the nearest folder, up to the home or the root, with a file by which a project chooses
# versions; from there za__follow gathers them all. What a file resolves to stands in one of ours under
# {pins}, with the very time of change of the project's file: as long as that is equal, nothing is to be
# asked. Only when it differs is this program called. The versions that followed are kept for the next time
# (za__kept_…).
#
# A folder with such files that was entered last is known (za__known): za__keep writes a function,
# za__unchanged, which compares each of them, looks that no other has come on the way up, and reads the
# answers again, since another shell may have had them renewed. Then za__recall does the rest. No % expansion
# stands on that way: ksh takes 200 us for it.
#
# za__prompt looks for new files in the current folder. Where there is one, or one above, it is another
# (za__near), which compares that file, za__file, with its answer, za__entry: a shell copies a function each
# time that it calls it, so a short one is a quick one. za__where and za__file are empty until the first
# prompt, where what the startup files after this one did to PATH is looked at once.
_AT_START = """\
if [ -z "{itself}" ]; then if [ -r {sh} ]; then \\. {sh}; fi; return 0; fi
{exports}case $- in *i*) ;; *) if [[ -r {sh} ]]; then za__plain=1; {as_sh}; \\unset za__plain; fi; {hooks_inline}return 0 ;; esac
if [[ ${{za__stamp-}} == {stamp} && $PATH == "${{za__first-}}":* ]] && \\typeset -f za__look >/dev/null; then
za__look
{again}{tail}return 0
fi
za__front={front} za__mode=first
{place}za__first=$za__front za__tokens= za__new=1 za__said=${{za__said-}} za__near= za__pins= za__where= za__known= za__folder= za__file= za__watching= za__loaded=
\\unset za__front za__mode
{shared}function za__look {{
{quiet}  za__where=$PWD
  if [[ $PWD == "$za__known" ]] && za__unchanged; then za__recall; return 0; fi
  za__folder=$PWD za__file=
  [[ $PWD != / ]] || za__folder=
  [[ -z $za__near ]] || za__plain
  until {some}; do
    if [[ -z $za__folder || $za__folder == "${{HOME-}}" ]]; then
      if [[ -n ${{ZESTY_ANCHOR_SESSION-}} ]]; then za__folder=-; break; fi
      [[ -z $za__tokens${{ZESTY_ANCHOR_BEFORE-}} ]] || {{ {{ [[ -n $za__loaded ]] || za__load; }} && za__choose "" "$za__first"; }}
      return 0
    fi
    za__folder=${{za__folder%/*}}
  done
  za__follow
}}
function za__entered {{ [[ $PWD == "$za__where" ]] || za__look; }}
function za__prompt {{ {prompt}; }}
function za__again {{
{quiet}  if [[ -n $za__new ]]; then
    za__new=
    [[ $PATH == "$za__first":* ]] || {{ za__load && za__place first; }}
  fi
{missed}  za__look
}}
function za__load {{
  {globally}za__loaded=
  [[ ! -r {follow} ]] || \\. {follow}
  [[ -n $za__loaded ]]
}}
function za__follow {{ ! za__load || za__follow; }}
function za {{
  za__load || {{ {says} 'zesty-anchor: what it wrote for this shell is gone; a new shell is without it' >&2; return 127; }}
  za "$@"
}}
\\alias zesty-anchor=za
{at_prompt}{at_cd}za__stamp={stamp}
za__look
za__where= za__file=
{tail}"""
# A cd of the person's own is a function, or an alias: za__cd runs it, with its arguments and status, and
# looks then. An alias in front of a function counts in what is typed; where one is made after our line, a
# folder that was entered without us shows it.
CD = """\
function za__cd {
  \\typeset za_status=0
  \\cd "$@" || za_status=$?
  za__entered
  return $za_status
}
function za__after {
  \\typeset za_status=0
  "$@" || za_status=$?
  za__entered
  return $za_status
}
"""
_MISSED = """\
  [[ -z $za__where || $PWD == "$za__where" ]] || {is_alias} || \\alias cd=za__cd
"""
_FOLLOW_CD = "{is_alias} || \\alias cd=za__cd\n"


def at_start(environment: Environment, dialect: Dialect) -> str:
    """The text of the file that the startup files read."""
    hooks = environment.lines_of(dialect.name)
    front = tuple(dict.fromkeys((*environment.first, *environment.default_bins)))
    sh = quote(f"{environment.shell}/environment.sh")
    files = (
        f"if [[ -r {quote(f)} ]]; then . {quote(f)}; fi\n" for f in environment.completions_of(dialect.name)
    )
    text = _AT_START.format(
        itself=dialect.itself,
        sh=sh,
        as_sh=dialect.as_sh.format(sh),
        exports=dialect.exports or posix.exports(environment),
        hooks_inline="\n" + hooks if hooks else "",
        front=quote(":".join(front)),
        place=dialect.place
        or posix.place(environment, (environment.launchers, *environment.last))
        + "\\unset za__out za__ifs za__flags\n",
        stamp=environment.stamp,
        says=dialect.says,
        quiet=dialect.quiet,
        globally=dialect.globally,
        **looks(environment),
        follow=quote(f"{environment.shell}/follow.{dialect.name}"),
        at_prompt=dialect.at_prompt,
        at_cd=dialect.at_cd,
        # What a line in between, of the person's or of the system's, may have set anew: each of these adds
        # what is not there. Whose function cd is cannot be told without a process, so an alias runs it, and
        # looks then.
        again=(
            dialect.at_prompt + dialect.at_cd
            if dialect.told_of_cd
            else dialect.at_prompt + _FOLLOW_CD.format(is_alias=dialect.cd_is_alias)
        ),
        missed="" if dialect.told_of_cd else _MISSED.format(is_alias=dialect.cd_is_alias),
        tail=dialect.completes.format(file=quote(f"{environment.shell}/complete.{dialect.name}"))
        + hooks
        + "".join(files),
    )
    return posix.HEAD.format(stamp=environment.stamp) + text


def counting(define: str, clock: str) -> str:
    """The definition of za_mark, in which MARK stands for what keeps the value of a ``clock``. Pure."""
    return define.replace("MARK", f'za_marks[${{#za_marks[@]}}]="$1 $2 ${clock}";')


class Korn(Sh):
    """What the four share as shells."""

    follows = True

    def dialect(self, environment: Environment) -> Dialect:
        """Where this one differs."""
        raise NotImplementedError

    def environment(self, environment: Environment, file: str) -> str:
        """The text of the generated file, which will stand at ``file``."""
        return at_start(environment, self.dialect(environment))

    def on_demand(self, environment: Environment, file: str) -> str:
        """The text of the second file, read when something is to be chosen; ``file`` is the first one."""
        return on_demand(environment, file, self.dialect(environment))
