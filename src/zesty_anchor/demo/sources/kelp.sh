#!/bin/sh
# kelp @VERSION@: a small interpreter for tide bulletins, in POSIX sh.
#
#   kelp FILE        run a bulletin
#   kelp --version   print the version
#
# A bulletin has one statement a line: "let NAME VALUE", "say TEXT" with {NAME} for a value,
# "add NAME NUMBER" for whole numbers, "when NAME OVER NUMBER say TEXT", and "# ..." for a remark.
set -eu
version='@VERSION@'

fail() {
  printf 'kelp: %s\n' "$1" >&2
  exit 1
}

# Values are kept in variables value_NAME; a name is letters and underscores only.
check_name() {
  case $1 in '' | *[!A-Za-z_]*) fail "line $number: '$1' is no name" ;; esac
}

filled() {
  text=$1
  while :; do
    case $text in
      *'{'*'}'*)
        left=${text%%'{'*}
        rest=${text#*'{'}
        name=${rest%%'}'*}
        check_name "$name"
        eval "found=\${value_$name-}"
        text=$left$found${rest#*'}'}
        ;;
      *) break ;;
    esac
  done
  printf '%s\n' "$text"
}

run_line() {
  case $1 in
    '' | '#'*) ;;
    'let '*)
      rest=${1#let }
      name=${rest%% *}
      check_name "$name"
      held=${rest#* }
      eval "value_$name=\$held"
      ;;
    'add '*)
      rest=${1#add }
      name=${rest%% *}
      check_name "$name"
      eval "value_$name=\$((value_$name + ${rest#* }))"
      ;;
    'when '*)
      rest=${1#when }
      name=${rest%% *}
      check_name "$name"
      rest=${rest#* OVER }
      limit=${rest%% *}
      eval "held=\${value_$name:-0}"
      if [ "$held" -gt "$limit" ]; then run_line "${rest#* }"; fi
      ;;
    'say '*) filled "${1#say }" ;;
    *) fail "line $number: cannot understand '$1'" ;;
  esac
}

case ${1-} in
  --version) printf 'kelp %s\n' "$version" ;;
  '') fail 'name a bulletin to run' ;;
  *)
    [ -r "$1" ] || fail "cannot read $1"
    number=0
    while IFS= read -r line || [ -n "$line" ]; do
      number=$((number + 1))
      run_line "$line"
    done <"$1"
    ;;
esac
