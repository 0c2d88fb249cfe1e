"""What bash, zsh, ksh and mksh have in common: following the current folder with builtins alone.

The four know ``[[ ]]``, ``typeset`` in functions, and ``function NAME {``, whose name no alias can change.
"""

from __future__ import annotations

import msgspec

from zesty_anchor.shells import posix
from zesty_anchor.shells.posix import quote
from zesty_anchor.shells.sh import Sh
from zesty_anchor.shells.shell import Environment, Of, Switchable


class Dialect(msgspec.Struct, frozen=True):
    """Where the four differ.

    ``itself`` is a word that is empty in every other shell; ``start`` stands first in a function; ``as_sh`` reads a file
    in the language of sh. ``at_prompt`` has the prompt look at the folder, ``at_cd`` follows ``cd`` itself.
    ``completes`` registers the completion of our own commands, ``completion`` does it.
    """

    name: str
    itself: str
    at_prompt: str
    at_cd: str
    start: str = ""
    as_sh: str = ". {}"
    completes: str = ""
    completion: str = ""


# Two files: what every interactive shell reads when it starts, and what it reads when it first has to choose, complete
# or call this program. A shell takes about 8 us to read a simple command, so the first one is short.
#
# {start} comes first in each function. Local names begin with za_, lasting ones with zesty_anchor_.
#
# zesty_anchor_look finds the files by which the project chooses versions, the nearest folder first, up to the home or
# the root. What they resolve to stands in a file of ours under {pins}, with the very time of change of the project's
# file: as long as that is equal, nothing is to be asked. Only when it differs is this program called.
# At a prompt new files of the current folder count, where none was there; else only a change of those that were.
_AT_START = """\
if [ -z "{itself}" ]; then if [ -r {sh} ]; then . {sh}; fi; return 0; fi
{exports}case $- in *i*) ;; *) zesty_anchor_plain=1; {as_sh}; unset zesty_anchor_plain; {hooks_inline}return 0 ;; esac
if [[ ${{zesty_anchor_stamp-}} == {stamp} && $PATH == {front}:* ]]; then
{tail}return 0
fi
zesty_anchor_front={front} zesty_anchor_mode=first
{place_before}{place}{place_after}zesty_anchor_first=$zesty_anchor_front zesty_anchor_tokens= zesty_anchor_new=1 zesty_anchor_said=${{zesty_anchor_said-}}
unset zesty_anchor_front zesty_anchor_mode
if [[ ${{zesty_anchor_stamp-}} == {stamp} ]] && typeset -f zesty_anchor_look >/dev/null; then
zesty_anchor_look
{tail}return 0
fi
function zesty_anchor_look {{
{start}  typeset za_folder="${{PWD%/}}" za_name
  zesty_anchor_where=$PWD zesty_anchor_file= zesty_anchor_entry= zesty_anchor_near=
  set --
  while
    if [[ {some} ]]; then
      for za_name in {names}; do
        [[ -f $za_folder/$za_name && $za_folder/$za_name != {manifest} ]] && set -- "$@" "$za_folder/$za_name"
      done
    fi
    [[ -n $za_folder && $za_folder != "${{HOME-}}" ]]
  do za_folder=${{za_folder%/*}}; done
  [[ $# == 0 && -z $zesty_anchor_tokens && -z ${{ZESTY_ANCHOR_SESSION-}} ]] || zesty_anchor_follow "$@"
}}
function zesty_anchor_entered {{ [[ $PWD == "$zesty_anchor_where" ]] || zesty_anchor_look; }}
function zesty_anchor_prompt {{
  [[ $PWD == "$zesty_anchor_where" && -z $zesty_anchor_new && ( -z $zesty_anchor_near && {none} || -n $zesty_anchor_near && -e $zesty_anchor_file && ! $zesty_anchor_file -ot $zesty_anchor_entry ) && ( -z $zesty_anchor_file || ! $zesty_anchor_file -nt $zesty_anchor_entry ) ]] || zesty_anchor_again
}}
function zesty_anchor_again {{
  if [[ -n $zesty_anchor_new ]]; then
    zesty_anchor_new=
    [[ $PATH == "$zesty_anchor_first":* ]] || {{ . {follow}; zesty_anchor_place first; }}
  fi
  zesty_anchor_look
}}
function zesty_anchor_follow {{ . {follow}; zesty_anchor_follow "$@"; }}
function za {{ . {follow}; za "$@"; }}
alias zesty-anchor=za
{at_prompt}{at_cd}zesty_anchor_stamp={stamp}
zesty_anchor_look
{tail}"""
_ON_DEMAND = """\
function zesty_anchor_place {{
{start}  typeset zesty_anchor_out zesty_anchor_ifs zesty_anchor_flags zesty_anchor_entry zesty_anchor_mode="$1" zesty_anchor_front="$zesty_anchor_first"
{place}}}
function zesty_anchor_choose {{
{start}  typeset za_mode="$1" za_token IFS=' '
  zesty_anchor_tokens=$2
  set -- {defaults}
  for za_token in $zesty_anchor_tokens; do
    case $za_token in
{tokens}    esac
  done
  za_token=$zesty_anchor_first
  zesty_anchor_first={first}
{on_path}  zesty_anchor_first=${{zesty_anchor_first#:}}
{variables}  if [[ $za_mode == keep && $PATH == "$za_token":* ]]; then
    PATH=$zesty_anchor_first${{PATH:${{#za_token}}}}
  else
    zesty_anchor_place $za_mode
  fi
}}
function zesty_anchor_follow {{
{start}  typeset za_name za_entry za_line za_soft= za_pins= za_asked=
  for za_name; do
    za_entry={pins}$za_name=
    if [[ ! -r $za_entry || $za_name -nt $za_entry || $za_name -ot $za_entry ]]; then
      [[ -n $za_asked ]] || zesty_anchor_ask "$@"
      za_asked=1
      [[ ! -r $za_entry || $za_name -nt $za_entry || $za_name -ot $za_entry ]] && continue
    fi
    if [[ -z $zesty_anchor_file ]]; then
      zesty_anchor_file=$za_name zesty_anchor_entry=$za_entry
      [[ ${{za_name%/*}} == "${{PWD%/}}" ]] && zesty_anchor_near=1
    fi
    read -r za_line <"$za_entry" || continue
    case $za_line in
      '~'*) za_soft="$za_line $za_soft" ;;
      *) za_pins="$za_line $za_pins" ;;
    esac
    case $za_line in *'!'*) zesty_anchor_tell "$za_entry" ;; esac
  done
  za_pins="$za_soft$za_pins${{ZESTY_ANCHOR_SESSION-}}"
  [[ $za_pins == "$zesty_anchor_tokens" ]] || zesty_anchor_choose keep "$za_pins"
}}
function zesty_anchor_tell {{
  typeset za_text
  while read -r za_text; do
    case $za_text in
      '- '*) case $zesty_anchor_said in *"$za_text|"*) ;; *) zesty_anchor_said="$zesty_anchor_said$za_text|"; printf '%s\n' "${{za_text#- * }}" >&2 ;; esac ;;
    esac
  done <"$1"
}}
function zesty_anchor_ask {{
  [[ -x {executable} && -r {file} ]] || return 0
  ZESTY_ANCHOR_SHELL={shell} {program} pins -- "$@" || :
}}
function za {{
  typeset za_out za_status
  if [[ ${{1-}} == switch ]]; then
    za_out=$(ZESTY_ANCHOR_SHELL={shell} {program} "$@") || return
    case $za_out in
      'session: '*) export ZESTY_ANCHOR_SESSION="${{za_out#session: }}" ;;
      ?*) printf '%s\n' "$za_out" ;;
    esac
  else
    za_status=0
    ZESTY_ANCHOR_SHELL={shell} {program} "$@" || za_status=$?
  fi
  if [[ -r {file} ]]; then
    {{ read -r za_out; read -r za_out; }} <{file}
    [[ $za_out == "# stamp {stamp}" ]] || . {file}
  fi
  zesty_anchor_look
  return ${{za_status-0}}
}}
{completion}"""


def at_start(environment: Environment, dialect: Dialect) -> str:
    """The text of the file that the startup files read."""
    names, hooks = environment.names, environment.hooks_of(dialect.name)
    front = tuple(dict.fromkeys((*environment.first, *environment.default_bins)))
    sh = quote(f"{environment.shell}/environment.sh")
    files = (f"if [[ -r {quote(f)} ]]; then . {quote(f)}; fi\n" for f in environment.completions_of(dialect.name))
    text = _AT_START.format(
        itself=dialect.itself,
        sh=sh,
        as_sh=dialect.as_sh.format(sh),
        exports=posix.exports(environment),
        hooks_inline="\n" + hooks if hooks else "",
        front=quote(":".join(front)),
        place=posix.place(environment, (environment.launchers, *environment.last)),
        place_before=f"() {{\n{dialect.start}" if dialect.start else "",
        place_after="}\n" if dialect.start else "unset zesty_anchor_out zesty_anchor_ifs zesty_anchor_flags\n",
        stamp=environment.stamp,
        start=dialect.start,
        some=" || ".join(posix.tests(names, "$za_folder/")),
        none=" && ".join(f"! {test}" for test in posix.tests(environment.pin_names)),
        names=" ".join(names),
        manifest=quote(environment.manifest),
        follow=quote(f"{environment.shell}/follow.{dialect.name}"),
        at_prompt=dialect.at_prompt,
        at_cd=dialect.at_cd,
        tail=dialect.completes + hooks + "".join(files),
    )
    return posix.HEAD.format(stamp=environment.stamp) + text


def on_demand(environment: Environment, file: str, dialect: Dialect) -> str:
    """The text of the file that is read when something is to be chosen; ``file`` is the one of the startup files."""
    numbers = {r.name: n for n, r in enumerate(environment.runtimes)}
    switched = [(n, t) for n, t in environment.variables if any(isinstance(p, Of) for p in t)]
    return posix.HEAD.format(stamp=environment.stamp) + _ON_DEMAND.format(
        start=dialect.start,
        place=posix.place(environment, (environment.launchers, *environment.last)),
        defaults=" ".join(quote(r.default or "system") for r in environment.runtimes),
        tokens="".join(_token(environment.runtimes, r) for r in environment.runtimes),
        on_path="".join(_front(environment, r, numbers[r.name]) for r in environment.runtimes),
        variables="".join(_variable(environment, name, template, numbers) for name, template in switched),
        first=quote("".join(f":{folder}" for folder in environment.first)),
        pins=quote(environment.pins),
        shell=dialect.name,
        program=posix.words(environment.program),
        executable=quote(environment.program[0]),
        file=quote(file),
        stamp=environment.stamp,
        completion=dialect.completion,
    )


def _token(runtimes: tuple[Switchable, ...], runtime: Switchable) -> str:
    """A token ``NAME=VERSION`` takes its place among the versions in effect; the last one counts."""
    values = " ".join('"${za_token#*=}"' if r is runtime else f'"${{{n}}}"' for n, r in enumerate(runtimes, 1))
    return f"      {runtime.name}=* | '~{runtime.name}='*) set -- {values} ;;\n"


def _front(environment: Environment, runtime: Switchable, number: int) -> str:
    place = number + 1
    folder = f"{quote(f'{environment.shelf}/{runtime.name}')}/${{{place}}}"
    bins = "".join(f":{folder}" + ("" if part == "." else f"/{quote(part)}") for part in runtime.bins)
    return f"  [[ ${{{place}}} == system ]] || zesty_anchor_first=$zesty_anchor_first{bins}\n"


def _variable(environment: Environment, name: str, template: tuple[str | Of, ...], numbers: dict[str, int]) -> str:
    """A value that speaks of a version which the shelf does not give is taken away."""
    spoken = [f"${{{numbers[part.runtime] + 1}}} != system" for part in template if isinstance(part, Of)]
    value = "".join(
        f"{quote(f'{environment.shelf}/{p.runtime}')}/${{{numbers[p.runtime] + 1}}}" if isinstance(p, Of) else quote(p)
        for p in template
    )
    return f"  if [[ {' && '.join(spoken)} ]]; then export {name}={value}; else unset {name}; fi\n"


class Korn(Sh):
    """What the four share as shells."""

    check = "-n"

    def dialect(self, environment: Environment) -> Dialect:
        """Where this one differs."""
        raise NotImplementedError

    def environment(self, environment: Environment, file: str) -> str:
        """See ``Shell``."""
        return at_start(environment, self.dialect(environment))

    def on_demand(self, environment: Environment, file: str) -> str:
        """See ``Follower``."""
        return on_demand(environment, file, self.dialect(environment))
