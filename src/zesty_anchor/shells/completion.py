"""Completion of our own commands. The program itself answers, by the protocol that Click programs speak (Click's
manual, "Shell Completion"): the words come in COMP_WORDS and COMP_CWORD, an answer is a type and a value.
"""

_BASH = """\
function za__complete {{
  typeset za_type za_value
  COMPREPLY=()
  while IFS=, read -r za_type za_value; do
    case $za_type in
      dir) compopt -o dirnames ;;
      file) compopt -o default ;;
      plain) COMPREPLY+=("$za_value") ;;
    esac
  done < <(COMP_WORDS="${{COMP_WORDS[*]}}" COMP_CWORD=$COMP_CWORD _ZESTY_ANCHOR_COMPLETE=bash_complete {program} 2>/dev/null)
}}
"""
_ZSH = """\
function za__complete {{
  emulate -L zsh
  local za_type za_value za_help
  local -a za_plain za_told
  while IFS= read -r za_type && IFS= read -r za_value && IFS= read -r za_help; do
    case $za_type in
      dir) _path_files -/ ;;
      file) _path_files -f ;;
      plain) if [[ $za_help == _ ]]; then za_plain+=("$za_value"); else za_told+=("${{za_value//:/\\\\:}}:$za_help"); fi ;;
    esac
  done < <(COMP_WORDS="${{words[*]}}" COMP_CWORD=$((CURRENT - 1)) _ZESTY_ANCHOR_COMPLETE=zsh_complete {program} 2>/dev/null)
  (( $#za_told )) && _describe -V unsorted za_told -U
  (( $#za_plain )) && compadd -U -V unsorted -a za_plain
}}
"""
_FISH = """\
function za__complete
  set -l za_words (commandline -opc) (commandline -ct)
  for za_answer in (_ZESTY_ANCHOR_COMPLETE=fish_complete COMP_WORDS=(commandline -cp) COMP_CWORD=(commandline -ct) {program} 2>/dev/null)
    set -l za_parts (string split -m 1 , -- $za_answer)
    switch $za_parts[1]
      case dir
        __fish_complete_directories $za_words[-1]
      case file
        __fish_complete_path $za_words[-1]
      case plain
        echo $za_parts[2]
    end
  end
end
"""


def bash(program: str) -> str:
    """The lines for bash; ``program`` is ours, as words of its language."""
    return _BASH.format(program=program)


def zsh(program: str) -> str:
    """The lines for zsh. They count where its completion system was loaded (zshcompsys(1), "Initialization")."""
    return _ZSH.format(program=program)


def fish(program: str) -> str:
    """The lines for fish."""
    return _FISH.format(program=program)
