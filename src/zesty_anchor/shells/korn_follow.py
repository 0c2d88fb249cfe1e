"""What bash, zsh, ksh and mksh read when something is to be chosen, and where the four differ."""

from __future__ import annotations

import msgspec

from zesty_anchor.shells import posix
from zesty_anchor.shells.environment import MANIFEST_NAME, Environment, Of, Switchable
from zesty_anchor.shells.posix import quote


class Dialect(msgspec.Struct, frozen=True):
    """Where the four differ.

    ``itself`` is a word that is empty in every other shell; ``start`` stands first in a function; ``as_sh``
    reads a file in the language of sh. ``at_prompt`` has the prompt look at the folder, ``at_cd`` follows
    ``cd`` itself. ``completes`` registers the completion of our own commands. ``there`` tests the project's
    file where ``-ot`` does not count one that is gone as older. ``place`` puts the folders on PATH when the
    shell starts, where that goes better than in the way that all know. ``told_of_cd`` says that the shell
    tells of every change of the folder, ``says`` prints a line without starting anything. ``quiet`` stands
    first in a function that sets what lasts, ``globally`` before such an assignment alone: some shells warn
    of that where asked to. ``exports`` sets the variables where the shell has a quicker way than an
    ``export`` for each. ``cd_is_alias`` tells whether ``cd`` is one.
    """

    name: str
    itself: str
    at_prompt: str
    at_cd: str
    start: str = ""
    as_sh: str = "\\. {}"
    completes: str = ""
    there: str = ""
    place: str = ""
    told_of_cd: bool = False
    says: str = "print -r --"
    quiet: str = ""
    globally: str = ""
    exports: str = ""
    cd_is_alias: str = "\\alias cd >/dev/null 2>&1"


_FEW = 20
"""As many names of files are tested without a function of their own, which would take a call at each prompt.
"""

_ON_DEMAND = """\
function za__forget {{
{start}  za__known= za__kept_tokens= za__kept_first={no_variables}
}}
za__forget
function za__place {{
{start}  \\typeset za__out za__ifs za__flags za__entry za__mode="$1" za__front="$za__first"
{place}}}
function za__choose {{
{quiet}  za__tokens=$1
  case ${{ZESTY_ANCHOR_BEFORE-}} in ?*) za__put_back ;; esac
  if [[ -z $1 ]]; then
    za__first={front}
{default_variables}  elif [[ $1 == "$za__kept_tokens" ]]; then
    za__first=$za__kept_first
{kept_variables}  else
    za__work_out
    za__kept_tokens=$1 za__kept_first=$za__first
{keep_variables}  fi
  if [[ -z $2 ]]; then
    za__place first
  elif [[ $PATH == "$2":* ]]; then
    PATH=$za__first${{PATH:${{#2}}}}
    [[ -n $za__first ]] || PATH=${{PATH#:}}
  else
    za__place keep
  fi
  case $1 in *@*) za__set_project ;; esac
}}
function za__put_back {{
{start}  \\typeset za_name za_was IFS=' '
  for za_name in $ZESTY_ANCHOR_BEFORE; do
    \\eval "za_was=\\${{ZESTY_ANCHOR_BEFORE_$za_name-}}"
    case $za_was in x*) \\export "$za_name=${{za_was#x}}" ;; *) \\unset "$za_name" ;; esac
    \\unset "ZESTY_ANCHOR_BEFORE_$za_name"
  done
  \\unset ZESTY_ANCHOR_BEFORE
}}
function za__set_project {{
{start}  \\typeset za_token IFS=' '
  for za_token in $za__tokens; do
    case $za_token in @*) [[ ! -r {variables_folder}/${{za_token#@}}.sh ]] || \\. {variables_folder}/${{za_token#@}}.sh ;; esac
  done
}}
function za__set {{
  case " ${{ZESTY_ANCHOR_BEFORE-}} " in
    *" $1 "*) ;;
    *)
      \\eval "\\export ZESTY_ANCHOR_BEFORE_$1=\"\\${{$1+x\\$$1}}\""
      \\export ZESTY_ANCHOR_BEFORE="${{ZESTY_ANCHOR_BEFORE-}}${{ZESTY_ANCHOR_BEFORE:+ }}$1" ;;
  esac
  \\export "$1=$2"
}}
function za__work_out {{
{start}  \\typeset za_token IFS=' '
  \\set -- {defaults}
  for za_token in $za__tokens; do
    case $za_token in
{tokens}    esac
  done
  za__first={first}
{on_path}  za__first=${{za__first#:}}
{variables}}}
function za__follow {{
{quiet}  za__pins= za__sure=1
  \\set --
  while [[ $za__folder != - ]]; do
{collect}    while
      [[ -n $za__folder && $za__folder != "${{HOME-}}" ]] || break 2
      za__folder=${{za__folder%/*}}
      [[ ! ( {some} ) ]]
    do :; done
  done
  [[ $# == 0 ]] || za__read "$@"
  if [[ -n $za__file || $PWD/{manifest_name} == {manifest} ]]; then
    za__watch "$@"
    [[ -z $za__file || -z $za__sure || ${{za__file%/*}} != "${{PWD%/}}" ]] || za__keep "$@"
  fi
  \\set -- "$za__pins${{ZESTY_ANCHOR_SESSION-}}"
  [[ $1 == "$za__tokens" && ( -n $1 || -z ${{ZESTY_ANCHOR_BEFORE-}} ) ]] || za__choose "$1" "$za__first"
}}
function za__keep {{
{start}  \\typeset za_folder="${{PWD%/}}" za_name za_entry za_line za_number=0 za_text= za_same=
  for za_name; do
    za_number=$((za_number + 1)) za_entry={pins}$za_name=
    \\read -r za_line <"$za_entry"
    \\eval "za__pin_$za_number=\\$za_name za__entry_$za_number=\\$za_entry za__line_$za_number=\\$za_line"
    za_same="$za_same && \\read -r za__line <\\"\\$za__entry_$za_number\\" && [[ \\$za__line == \\"\\$za__line_$za_number\\" ]]"
    za_text="$za_text{there_kept}! \\$za__pin_$za_number -nt \\$za__entry_$za_number && ! \\$za__pin_$za_number -ot \\$za__entry_$za_number && "
  done
  za_number=0
  while
    za_number=$((za_number + 1))
    \\eval "za__up_$za_number=\\$za_folder"
    if [[ {some_inside} ]]; then
      for za_name in {names}; do [[ -f $za_folder/$za_name ]] || za_text="$za_text! -e \\$za__up_$za_number/$za_name && "; done
    else
      za_text="$za_text! ( {some_kept} ) && "
    fi
    [[ -n $za_folder && $za_folder != "${{HOME-}}" ]]
  do
    za_folder=${{za_folder%/*}}
  done
  \\eval "function za__unchanged {{ [[ ${{za_text%' && '}} ]]$za_same; }}"
  za__known=$PWD za__known_watch=$za__watching za__known_pins=$za__pins
}}
function za__recall {{
{quiet}  za__pins=$za__known_pins
  [[ -n $za__near && $za__watching == "$za__known_watch" ]] || {{ za__near=1 za__watching=$za__known_watch; \\eval "$za__watching"; }}
  [[ $za__pins${{ZESTY_ANCHOR_SESSION-}} == "$za__tokens" ]] || za__choose "$za__pins${{ZESTY_ANCHOR_SESSION-}}" "$za__first"
}}
function za__plain {{
{quiet}  za__near=
  function za__prompt {{ {prompt}; }}
}}
function za__watch {{
{start}  \\typeset za_name za_number=0 za_text='{moved}'
  for za_name; do
    za_number=$((za_number + 1))
    \\eval "za__told_$za_number={pins}\\$za_name= za_name=\\${{za_name#\"\\${{PWD%/}}/\"}} za__seen_$za_number=\\$za_name"
    za_text="$za_text{there_seen}! \\$za__seen_$za_number -nt \\$za__told_$za_number && ! \\$za__seen_$za_number -ot \\$za__told_$za_number && "
  done
  for za_name in {names}; do [[ -e ${{PWD%/}}/$za_name ]] || za_text="$za_text! -e $za_name && "; done
  za__near=1 za__watching="function za__prompt {{ [[ ${{za_text%' && '}} ]] || za__again; }}"
  \\eval "$za__watching"
}}
function za__read {{
{start}  \\typeset za_name za_entry= za_line za_soft= za_asked=
  for za_name; do
    za_entry={pins}$za_name=
    if [[ ! -r $za_entry || $za_name -nt $za_entry || $za_name -ot $za_entry ]]; then
      [[ -n $za_asked ]] || za__ask "$@"
      za_asked=1
      if [[ ! -r $za_entry || $za_name -nt $za_entry || $za_name -ot $za_entry ]]; then za__sure=; continue; fi
    fi
    [[ -n $za__file ]] || za__file=$za_name
    \\read -r za_line <"$za_entry" || {{ za__sure=; continue; }}
    case $za_line in
      '~'*) za_soft="$za_line $za_soft" ;;
      *) za__pins="$za_line $za__pins" ;;
    esac
    case $za_line in *'!'*) za__tell "$za_entry"; za__sure= ;; esac
  done
  za__pins=$za_soft$za__pins
}}
function za__tell {{
  \\typeset za_text
  while read -r za_text; do
    case $za_text in
      '- '*) case $za__said in *"$za_text|"*) ;; *) za__said="$za__said$za_text|"; {says} "${{za_text#- * }}" >&2 ;; esac ;;
    esac
  done <"$1"
}}
function za__ask {{
  [[ -r {file} ]] || return 0
  if [[ ! -x {executable} ]]; then
    case $za__said in *"$1|"*) ;; *) za__said="$za__said$1|"; za__without "$1: what it pins is not known, since " ;; esac
    return 0
  fi
  ZESTY_ANCHOR_SHELL={shell} {program} pins -- "$@" || :
}}
function za__without {{
  {says} "$1"{executable}' is not installed any more: install it with pip install zesty-anchor' >&2
}}
function za {{
  \\typeset za_out za_status
  [[ -x {executable} ]] || {{ za__without "zesty-anchor: "; return 127; }}
  if [[ ${{1-}} == switch ]]; then
    za_out=$(ZESTY_ANCHOR_SHELL={shell} {program} "$@") || return
    case $za_out in
      'session: '*) \\export ZESTY_ANCHOR_SESSION="${{za_out#session: }}" ;;
      ?*) {says} "$za_out" ;;
    esac
  else
    za_status=0
    ZESTY_ANCHOR_SHELL={shell} {program} "$@" || za_status=$?
  fi
  if [[ -r {file} ]]; then
    {{ \\read -r za_out; \\read -r za_out; }} <{file}
    [[ $za_out == "# stamp {stamp}" ]] || \\. {file}
  fi
  za__look
  return ${{za_status-0}}
}}
za__loaded=1
"""


def on_demand(environment: Environment, file: str, dialect: Dialect) -> str:
    """The text of the file that is read when something is to be chosen; ``file`` is the one of the startup
    files.
    """
    numbers = {r.name: n for n, r in enumerate(environment.runtimes)}
    switched = [(n, t) for n, t in environment.variables if any(isinstance(p, Of) for p in t)]
    plain = [(name, environment.by_default(template)) for name, template in switched]
    front = dict.fromkeys((*environment.first, *environment.default_bins))
    return posix.HEAD.format(stamp=environment.stamp) + _ON_DEMAND.format(
        start=dialect.start,
        place=posix.place(environment, (environment.launchers, *environment.last)),
        defaults=" ".join(quote(r.default or "system") for r in environment.runtimes),
        tokens="".join(_token(environment.runtimes, r) for r in environment.runtimes),
        on_path="".join(_front(environment, r, numbers[r.name]) for r in environment.runtimes),
        variables="".join(_variable(environment, name, template, numbers) for name, template in switched),
        first=quote("".join(f":{folder}" for folder in environment.first)),
        front=quote(":".join(front)),
        default_variables="".join(
            f"    \\unset {name}\n" if value is None else f"    \\export {name}={quote(value)}\n"
            for name, value in plain
        ),
        kept_variables="".join(
            f'    if [[ -n $za__kept_{n} ]]; then \\export {name}="${{za__kept_{n}#x}}"; else \\unset {name};'
            " fi\n"
            for n, (name, _) in enumerate(switched)
        ),
        no_variables="".join(f" za__kept_{n}=" for n in range(len(switched))),
        keep_variables="".join(
            f"    za__kept_{n}=${{{name}+x${name}}}\n" for n, (name, _) in enumerate(switched)
        ),
        some=" || ".join(posix.tests(environment.names, "$za__folder/")),
        collect="".join(_collect(name, environment) for name in environment.names),
        manifest_name=MANIFEST_NAME,
        prompt=looks(environment)["prompt"],
        there_seen=dialect.there.format(r"\$za__seen_$za_number"),
        there_kept=dialect.there.format(r"\$za__pin_$za_number"),
        names=" ".join(environment.names),
        some_inside=" || ".join(posix.tests(environment.names, "$za_folder/")),
        some_kept=" || ".join(posix.tests(environment.names, r"\$za__up_$za_number/")),
        moved="" if dialect.told_of_cd else '$PWD == "$za__where" && ',
        manifest=quote(environment.manifest),
        pins=quote(environment.pins),
        variables_folder=quote(environment.project_variables),
        shell=dialect.name,
        program=posix.words(environment.program),
        executable=quote(environment.program[0]),
        file=quote(file),
        stamp=environment.stamp,
        says=dialect.says,
        quiet=dialect.quiet,
    )


def looks(environment: Environment) -> dict[str, str]:
    """What looks for the project's files when a shell starts, and at a prompt. Few names are tested where
    they are looked for; many by a function that both call, so that a start reads them once.
    """
    names = environment.names
    if len(names) <= _FEW:
        some, here = " || ".join(posix.tests(names, "$za__folder/")), _here(environment)
        return {
            "shared": "",
            "some": f"[[ {some} ]]",
            "prompt": f'[[ $PWD == "$za__where" && ! ( {here} ) ]] || za__again',
        }
    pins, others = environment.pin_names, names[len(environment.pin_names) :]
    rest = f" || [[ {' || '.join(posix.tests(others, '$za__folder/'))} ]]" if others else ""
    return {
        "shared": f"function za__pinned {{ [[ {' || '.join(posix.tests(pins, '$1'))} ]]; }}\n",
        "some": f'za__pinned "$za__folder/"{rest}',
        "prompt": '[[ $PWD == "$za__where" ]] && ! za__pinned "" || za__again',
    }


def _here(environment: Environment) -> str:
    """The inside of a test whether a file that does nothing but pin came into the current folder."""
    return " || ".join(posix.tests(environment.pin_names))


def _collect(name: str, environment: Environment) -> str:
    """The line that adds a folder's file of this name to those that choose versions."""
    own = f" && $za__folder/{name} != {quote(environment.manifest)}" if name == MANIFEST_NAME else ""
    return f'    [[ -f $za__folder/{name}{own} ]] && \\set -- "$@" "$za__folder/{name}"\n'


def _token(runtimes: tuple[Switchable, ...], runtime: Switchable) -> str:
    """A token ``NAME=VERSION`` takes its place among the versions in effect; the last one counts."""
    values = " ".join(
        '"${za_token#*=}"' if r is runtime else f'"${{{n}}}"' for n, r in enumerate(runtimes, 1)
    )
    return f"      {runtime.name}=* | '~{runtime.name}='*) \\set -- {values} ;;\n"


def _front(environment: Environment, runtime: Switchable, number: int) -> str:
    place = number + 1
    folder = f"{quote(f'{environment.shelf}/{runtime.name}')}/${{{place}}}"
    bins = "".join(f":{folder}" + ("" if part == "." else f"/{quote(part)}") for part in runtime.bins)
    return f"  [[ ${{{place}}} == system ]] || za__first=$za__first{bins}\n"


def _variable(
    environment: Environment, name: str, template: tuple[str | Of, ...], numbers: dict[str, int]
) -> str:
    """A value that speaks of a version which the shelf does not give is taken away."""
    spoken = [f"${{{numbers[part.runtime] + 1}}} != system" for part in template if isinstance(part, Of)]
    value = "".join(
        (
            f'{quote(f"{environment.shelf}/{p.runtime}/")}"${{{numbers[p.runtime] + 1}}}"'
            if isinstance(p, Of)
            else quote(p)
        )
        for p in template
    )
    return f"  if [[ {' && '.join(spoken)} ]]; then \\export {name}={value}; else \\unset {name}; fi\n"
