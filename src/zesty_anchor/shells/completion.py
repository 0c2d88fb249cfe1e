"""Completion of our own commands: answered by the shell's builtins, from the table of our commands, the
manifest's runtimes and the folders on the shelf. No program is started, but where a whole command line
follows (``with``).

Each of the three goes through the words in the same way: the command's name, then its arguments in order,
whose kinds the table says, options and their values in between. A word that begins with a hyphen, or where no
argument is left, gets options.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable

from zesty_anchor.manifest.shell_names import SHELL_CLASSES
from zesty_anchor.shells import posix
from zesty_anchor.shells.environment import Environment
from zesty_anchor.system.own_commands import COMMANDS, VALUES

# bash(1), "Programmable Completion": it breaks words at = (COMP_WORDBREAKS), so the line is split anew; an
# answer is what comes after the last = then.
_BASH = """\
function za__offer {{
  \\typeset za_one za_cut=
  [[ $1 != *=* || $COMP_WORDBREAKS != *=* ]] || za_cut=${{1%=*}}=
  for za_one in "${{@:2}}"; do [[ $za_one != "$1"* ]] || COMPREPLY+=("${{za_one#"$za_cut"}}"); done
}}
function za__versions {{
  \\typeset za_folder
  za_found=({words})
  [[ -n $1 && -d {shelf}/$1 ]] || return 0
  for za_folder in {shelf}/"$1"/*/; do [[ ! -d $za_folder ]] || {{ za_folder=${{za_folder%/}}; za_found+=("${{za_folder##*/}}"); }}; done
}}
function za__complete {{
  \\typeset za_line="${{COMP_LINE:0:COMP_POINT}}" za_word= za_kind= za_before= za_given= za_at=0 za_i za_last IFS=$' \\t\\n'
  \\typeset -a za_all za_found za_options za_kinds
  COMPREPLY=() za_all=() za_found=() za_options=() za_kinds=()
  \\read -ra za_all <<<"$za_line"
  za_last=$((${{#za_all[@]}} - 1))
  [[ $za_line == *[[:blank:]] ]] || {{ za_word=${{za_all[za_last]}}; \\unset "za_all[za_last]"; }}
  case ${{za_all[1]-}} in
    '') za__offer "$za_word" {commands}; return 0 ;;
{table}    *) return 0 ;;
  esac
  for ((za_i = 2; za_i < ${{#za_all[@]}}; za_i++)); do
    za_kind= za_before=
    case ${{za_all[za_i]}} in
      --) [[ ${{za_kinds-}} != pairs ]] || {{ za__command; return 0; }} ;;
{values}      -*) ;;
      *=*) [[ ${{za_kinds-}} == pairs ]] || za_at=$((za_at + 1)) ;;
      *)
        [[ ${{za_kinds-}} != pairs ]] || {{ za__command; return 0; }}
        [[ $za_at != 0 ]] || za_given=${{za_all[za_i]}}
        za_at=$((za_at + 1)) ;;
    esac
    [[ -z $za_kind ]] || za_i=$((za_i + 1))
  done
  if [[ -n $za_kind && $za_i -gt ${{#za_all[@]}} ]]; then :
  elif [[ $za_word == --*=* ]]; then
    za_before=${{za_word%%=*}}= za_kind=word
    case ${{za_word%%=*}} in
{values}    esac
  elif [[ $za_word == -* || ( $za_at -ge ${{#za_kinds[@]}} && ${{za_kinds-}} != pairs ) ]]; then
    za__offer "$za_word" "${{za_options[@]}}"
    return 0
  elif [[ ${{za_kinds-}} == pairs ]]; then
    if [[ $za_word == *=* ]]; then za_before=${{za_word%%=*}}= za_given=${{za_word%%=*}} za_kind=version; else za_kind=pairs; fi
  else
    za_kind=${{za_kinds[za_at]}}
  fi
  case $za_kind in
    runtime) za_found=({runtimes}) ;;
    version) za__versions "$za_given" ;;
    pairs) za_found=({pairs}); \\compopt -o nospace 2>/dev/null ;;
    file) \\compopt -o default 2>/dev/null; return 0 ;;
    word) ;;
    *) IFS='|'; za_found=($za_kind); IFS=$' \\t\\n' ;;
  esac
  za__offer "$za_word" "${{za_found[@]/#/$za_before}}"
}}
function za__command {{
  \\typeset za_j=2
  while [[ $za_j -lt $COMP_CWORD && ${{COMP_WORDS[za_j]}} != -- ]]; do za_j=$((za_j + 1)); done
  if [[ ${{COMP_WORDS[za_j]}} != -- ]]; then \\compopt -o default 2>/dev/null
  elif typeset -F _command_offset >/dev/null; then _command_offset $((za_j + 1))
  elif [[ $COMP_CWORD == $((za_j + 1)) ]]; then COMPREPLY=($(compgen -c -- "$za_word"))
  else \\compopt -o default 2>/dev/null
  fi
}}
za__completes=1
"""
# zshcompwid(1): words, CURRENT, compadd; what fits is chosen by the system of completion itself.
_ZSH = """\
function za__complete {{
  \\emulate -L zsh -o extended_glob
  \\local za_kind= za_given= za_word="$words[CURRENT]" za_at=1 za_i
  \\local -a za_found za_options za_kinds za_told
  if (( CURRENT == 2 )); then
    za_told=({told})
    if [[ $za_word == -* ]]; then compadd -- --help --version; else _describe -V commands za_told; fi
    return
  fi
  case $words[2] in
{table}    *) return 1 ;;
  esac
  for ((za_i = 3; za_i < CURRENT; za_i++)); do
    za_kind=
    case $words[za_i] in
      --) [[ $za_kinds[1] != pairs ]] || {{ za__command $za_i; return; }} ;;
{values}      -*) ;;
      *=*) [[ $za_kinds[1] == pairs ]] || (( za_at++ )) ;;
      *)
        [[ $za_kinds[1] != pairs ]] || {{ za__command $((za_i - 1)); return; }}
        (( za_at != 1 )) || za_given=$words[za_i]
        (( za_at++ )) ;;
    esac
    [[ -z $za_kind ]] || (( za_i++ ))
  done
  if [[ -n $za_kind ]] && (( za_i > CURRENT )); then :
  elif [[ $za_word == --*=* ]]; then
    za_kind=word
    case ${{za_word%%=*}} in
{values}    esac
    compset -P '*='
  elif [[ $za_word == -* ]] || {{ (( za_at > $#za_kinds )) && [[ $za_kinds[1] != pairs ]]; }}; then
    compadd -a za_options
    return
  elif [[ $za_kinds[1] == pairs ]]; then
    za_kind=pairs
    if [[ $za_word == *=* ]]; then za_given=${{za_word%%=*}} za_kind=version; compset -P '*='; fi
  else
    za_kind=$za_kinds[za_at]
  fi
  case $za_kind in
    runtime) za_found=({runtimes}); compadd -a za_found ;;
    version) za_found=({shelf}/$za_given/*(N/nOn:t) {words}); compadd -V versions -a za_found ;;
    pairs) za_found=({pairs}); compadd -S '' -a za_found ;;
    file) _files ;;
    word) ;;
    *) za_found=(${{(s:|:)za_kind}}); compadd -a za_found ;;
  esac
}}
function za__command {{
  \\shift $1 words
  (( CURRENT -= $1 ))
  _normal
}}
za__completes=1
"""
# fish(1), "Writing your own completions": what fits is chosen by fish.
_FISH = """\
function za__versions
  set -l za_found
  if set -q argv[1]; and test -n "$argv[1]"
    for za_folder in {shelf}/$argv[1]/*; test -d $za_folder; and set -p za_found $za_folder; end
  end
  set -q za_found[1]; and string replace -r '.*/' '' -- $za_found
  printf '%s\\n' {words}
end
function za__complete
  set -l za_all (commandline -opc)
  set -l za_word (commandline -ct)
  set -l za_kind
  set -l za_before ''
  set -l za_given ''
  set -l za_options
  set -l za_kinds
  set -l za_at 1
  if not set -q za_all[2]
    switch "$za_word"
      case '-*'
        printf '%s\\n' --help --version
      case '*'
        printf '%s\\t%s\\n' {told}
    end
    return
  end
  switch $za_all[2]
{table}    case '*'
      return 1
  end
  set -l za_i 3
  while test $za_i -le (count $za_all)
    set za_kind
    switch $za_all[$za_i]
      case --
        if test "$za_kinds[1]" = pairs
          complete -C (string join ' ' -- (string escape -- $za_all[(math $za_i + 1)..-1]) $za_word)
          return
        end
{values}      case '-*'
      case '*=*'
        test "$za_kinds[1]" = pairs; or set za_at (math $za_at + 1)
      case '*'
        if test "$za_kinds[1]" = pairs
          complete -C (string join ' ' -- (string escape -- $za_all[$za_i..-1]) $za_word)
          return
        end
        test $za_at = 1; and set za_given $za_all[$za_i]
        set za_at (math $za_at + 1)
    end
    set za_i (math $za_i + 1)
    set -q za_kind[1]; and set za_i (math $za_i + 1)
  end
  if set -q za_kind[1]; and test $za_i -gt (math (count $za_all) + 1)
  else if string match -q -- '--*=*' $za_word
    set za_before (string replace -r -- '=.*' '=' $za_word)
    set za_kind word
    switch (string replace -r -- '=.*' '' $za_word)
{values}    end
  else if string match -q -- '-*' $za_word; or begin; test $za_at -gt (count $za_kinds); and test "$za_kinds[1]" != pairs; end
    printf '%s\\n' $za_options
    return
  else if test "$za_kinds[1]" = pairs
    set za_kind pairs
    if string match -q -- '*=*' $za_word
      set za_given (string replace -r -- '=.*' '' $za_word)
      set za_before $za_given=
      set za_kind version
    end
  else
    set za_kind $za_kinds[$za_at]
  end
  switch $za_kind
    case runtime
      printf '%s\\n' $za_before{runtimes}
    case version
      printf '%s\\n' $za_before(za__versions $za_given)
    case pairs
      printf '%s\\n' {pairs}
    case file
      if test -n "$za_before"
        printf '%s\\n' $za_before(complete -C "'' "(string replace -r -- '^[^=]*=' '' $za_word) | string replace -r '\\t.*' '')
      else
        complete -C "'' $za_word"
      end
    case word
    case '*'
      printf '%s\\n' $za_before(string split '|' -- $za_kind)
  end
end
set -g za__completes 1
"""
_VERSIONS = ("lts", "latest", "system")
"""The words that stand for a version."""


def bash(environment: Environment, quote: Callable[[str], str]) -> str:
    """The functions for bash."""
    return _of(_BASH, environment, quote, table=_row, value=_pattern)


def zsh(environment: Environment, quote: Callable[[str], str]) -> str:
    """The functions for zsh. They count where its completion system was loaded (zshcompsys(1),
    "Initialization").
    """

    def told(name: str, summary: str) -> str:
        return quote(f"{name}:{summary.replace(':', chr(92) + ':')}")

    return _of(_ZSH, environment, quote, table=_row, value=_pattern, told=told)


def _row(name: str, kinds: str, options: str) -> str:
    """What a command takes, in a case of bash or zsh."""
    return f"    {name}) za_kinds=({kinds}) za_options=({options}) ;;\n"


def _pattern(options: tuple[str, ...], kind: str) -> str:
    """The kind of value that options take, in a case of bash or zsh."""
    return f"      {'|'.join(options)}) za_kind='{kind}' ;;\n"


def fish(environment: Environment, quote: Callable[[str], str]) -> str:
    """The functions for fish."""
    text = _of(
        _FISH,
        environment,
        quote,
        table=lambda name, kinds, options: (
            f"    case {name}\n      set za_kinds {kinds}\n      set za_options {options}\n"
        ),
        value=lambda options, kind: f"      case {' '.join(options)}\n        set za_kind '{kind}'\n",
        told=lambda name, summary: f"{name} {quote(summary)}",
        several=lambda words: "{" + ",".join(words) + "}" if len(words) > 1 else "".join(words),
    )
    return text


def tcsh(environment: Environment, quote: Callable[[str], str]) -> str:
    """The line for tcsh: the commands, and the runtimes behind those that take one (tcsh(1),
    ``complete``).
    """
    takers = [name for name, own in COMMANDS.items() if own.arguments[:1] == ("runtime",)]
    names = " ".join(r.name for r in environment.runtimes)
    rules = [f"p/1/({' '.join(COMMANDS)})/", *(f"n/{taker}/({names})/" for taker in takers if names)]
    return "".join(f"  complete {own} {' '.join(map(quote, rules))}\n" for own in ("za", "zesty-anchor"))


def _of(
    text: str,
    environment: Environment,
    quote: Callable[[str], str],
    *,
    table: Callable[[str, str, str], str],
    value: Callable[[tuple[str, ...], str], str],
    told: Callable[[str, str], str] = lambda name, summary: name,
    several: Callable[[list[str]], str] = " ".join,
) -> str:
    names = [quote(runtime.name) for runtime in environment.runtimes]
    kind_of = {o: "|".join(SHELL_CLASSES.names()) if kind == "shell" else kind for o, kind in VALUES.items()}
    kinds = dict.fromkeys(kind_of.values())
    return posix.HEAD.format(stamp=environment.stamp) + text.format(
        commands=" ".join((*COMMANDS, "--help", "--version")),
        told=" ".join(told(name, own.summary) for name, own in COMMANDS.items()),
        table="".join(
            table(name, _words(own.arguments), " ".join(own.options)) for name, own in COMMANDS.items()
        ),
        values="".join(value(tuple(o for o, k in kind_of.items() if k == kind), kind) for kind in kinds),
        shelf=quote(environment.shelf),
        runtimes=several(names),
        pairs=" ".join(f"{name}=" for name in names),
        words=" ".join(_VERSIONS),
    )


def _words(kinds: Iterable[str]) -> str:
    return " ".join(f"'{kind}'" for kind in kinds)
