"""What bash, zsh, ksh and mksh have in common: following the current folder with builtins alone.

The four know ``[[ ]]``, ``typeset`` in functions, and ``function NAME {``, whose name no alias can change.
"""

from __future__ import annotations

import msgspec

from zesty_anchor.shells import posix
from zesty_anchor.shells.posix import quote
from zesty_anchor.shells.shell import Environment, Of, Switchable


class Dialect(msgspec.Struct, frozen=True):
    """Where the four differ: their name, the start of every function, the lines that have the prompt look at the
    folder, those that follow ``cd`` itself, those that complete our own commands, what must stand around lines in the
    language of sh, and a word that is empty in every other shell.
    """

    name: str
    start: str
    at_prompt: str
    at_cd: str
    completion: str = ""
    around: tuple[str, str] = ("", "")
    itself: str = "${KSH_VERSION-}"


# The functions. {start} comes first in each. Local names begin with za_, lasting ones with zesty_anchor_.
#
# zesty_anchor_look finds the files by which the project chooses versions, the nearest folder first, up to the home or
# the root. What they resolve to stands in a file of ours under {pins}, with the very time of change of the project's
# file: as long as that is equal, nothing is to be asked. Only when it differs is this program called.
#
# At a prompt new files of the current folder count, where none was there; else only a change of those that were.
#
# These lines run whenever somebody changes the folder, so few commands do much each: bash takes 1 to 8 us for one.
_FUNCTIONS = """\
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
  zesty_anchor_now="$*"
  za_token=$zesty_anchor_first
  zesty_anchor_first={first}
{front}  zesty_anchor_first=${{zesty_anchor_first#:}}
{variables}  if [[ $za_mode == keep && $PATH == "$za_token":* ]]; then
    PATH=$zesty_anchor_first${{PATH#"$za_token"}}
  else
    zesty_anchor_place $za_mode
  fi
}}
function zesty_anchor_look {{
{start}  typeset za_folder="${{PWD%/}}" za_name za_entry za_line za_soft= za_pins=
  zesty_anchor_where=$PWD zesty_anchor_file= zesty_anchor_entry= zesty_anchor_near=
  set --
  while
    if [[ {some} ]]; then
      for za_name in {names}; do
        [[ -f $za_folder/$za_name ]] && set -- "$@" "$za_folder/$za_name"
      done
    fi
    [[ -n $za_folder && $za_folder != "${{HOME-}}" ]]
  do
    za_folder=${{za_folder%/*}}
  done
  za_folder=
  for za_name; do
    za_entry={pins}$za_name=
    if [[ ! -r $za_entry || $za_name -nt $za_entry || $za_name -ot $za_entry ]]; then
      [[ -n $za_folder ]] || zesty_anchor_ask "$@"
      za_folder=asked
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
function zesty_anchor_prompt {{
  [[ $PWD == "$zesty_anchor_where" && -z $zesty_anchor_new && ! $zesty_anchor_file -nt $zesty_anchor_entry && ( -n $zesty_anchor_near && -e $zesty_anchor_file && ! $zesty_anchor_file -ot $zesty_anchor_entry || -z $zesty_anchor_near && {none} ) ]] || zesty_anchor_again
}}
function zesty_anchor_again {{
  if [[ -n $zesty_anchor_new ]]; then
    zesty_anchor_new=
    [[ $PATH == "$zesty_anchor_first":* ]] || zesty_anchor_place first
  fi
  zesty_anchor_look
}}
function zesty_anchor_entered {{
  [[ $PWD == "$zesty_anchor_where" ]] || zesty_anchor_look
}}
function zesty_anchor_ask {{
  [[ -x {executable} ]] || return 0
  ZESTY_ANCHOR_SHELL={shell} {program} pins -- "$@" || :
}}
function zesty_anchor_begin {{
  zesty_anchor_new=1 zesty_anchor_first= zesty_anchor_said=${{zesty_anchor_said-}}
  zesty_anchor_choose first ''
  zesty_anchor_look
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
alias zesty-anchor=za
"""


# A person's .profile may read .bashrc in any shell: one that is not meant gets the language of sh.
_OTHERS = """\
if [ -z "{itself}" ]; then
  if [ -r {other} ]; then . {other}; fi
  return 0
fi
"""


def environment(environment: Environment, file: str, dialect: Dialect) -> str:
    """The text of the generated file."""
    hooks = environment.hooks_of(dialect.name)
    return "".join(
        [
            posix.HEAD.format(stamp=environment.stamp),
            _OTHERS.format(itself=dialect.itself, other=quote(f"{environment.shell}/environment.sh")),
            posix.exports(environment),
            "case $- in *i*) ;; *)\n",
            dialect.around[0],
            posix.place_scripted(environment),
            dialect.around[1],
            hooks,
            "return 0 ;;\nesac\n",
            f"if [[ ${{zesty_anchor_stamp-}} != {environment.stamp} ]] || ! typeset -f zesty_anchor_look >/dev/null; then\n",
            _functions(environment, dialect, quote(file)),
            dialect.at_prompt,
            dialect.at_cd,
            f"zesty_anchor_stamp={environment.stamp}\n",
            "fi\n",
            # What the startup files do to PATH below this line is put right at the first prompt.
            "zesty_anchor_begin\n",
            hooks,
            dialect.completion,
            *(f"if [[ -r {quote(f)} ]]; then . {quote(f)}; fi\n" for f in environment.completions_of(dialect.name)),
        ]
    )


def _functions(environment: Environment, dialect: Dialect, file: str) -> str:
    numbers = {r.name: n for n, r in enumerate(environment.runtimes)}
    names = environment.names
    switched = [(n, t) for n, t in environment.variables if any(isinstance(p, Of) for p in t)]
    return _FUNCTIONS.format(
        start=dialect.start,
        place=posix.place(environment, (environment.launchers, *environment.last)),
        defaults=" ".join(quote(r.default or "system") for r in environment.runtimes),
        tokens="".join(_token(environment.runtimes, r) for r in environment.runtimes),
        front="".join(_front(environment, r, numbers[r.name]) for r in environment.runtimes),
        variables="".join(_variable(environment, name, template, numbers) for name, template in switched),
        first=quote("".join(f":{folder}" for folder in environment.first)),
        none=" && ".join(f"! {test}" for test in posix.tests(environment.pin_names)),
        some=" || ".join(posix.tests(names, "$za_folder/")),
        names=" ".join(names),
        pins=quote(environment.pins),
        shell=dialect.name,
        program=posix.words(environment.program),
        executable=quote(environment.program[0]),
        file=file,
        stamp=environment.stamp,
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
