#!/bin/sh
# coral @VERSION@: adds up gauge readings. It finds its table of units through CORAL_HOME.
#
#   coral sum FILE UNIT   the sum of the readings, one a line in millimetres, in UNIT
#   coral --version       print the version
set -eu
version='@VERSION@'

case ${1-} in
  --version) printf 'coral %s\n' "$version" ;;
  sum)
    : "${CORAL_HOME:?coral: CORAL_HOME is not set}"
    units=$CORAL_HOME/lib/units
    [ -r "$units" ] || { printf 'coral: no table of units in %s\n' "$CORAL_HOME" >&2; exit 1; }
    divisor=
    while read -r name value; do
      if [ "$name" = "$3" ]; then divisor=$value; fi
    done <"$units"
    [ -n "$divisor" ] || { printf 'coral: unknown unit %s\n' "$3" >&2; exit 1; }
    total=0
    while read -r reading; do total=$((total + reading)); done <"$2"
    printf '%s.%s %s\n' "$((total / divisor))" "$((total % divisor * 10 / divisor))" "$3"
    ;;
  *) printf 'coral: say "coral sum FILE UNIT"\n' >&2; exit 2 ;;
esac
