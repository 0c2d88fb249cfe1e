#!/bin/sh
# shoal @VERSION@: a report on top of coral, of the line that it was made for.
#
#   shoal report FILE    the sum of the readings in metres, by coral
#   shoal --version      print the version
set -eu
version='@VERSION@'
line=${version##*-coral-}

case ${1-} in
  --version) printf 'shoal %s\n' "$version" ;;
  report)
    : "${CORAL_HOME:?shoal: CORAL_HOME is not set}"
    found=$("$CORAL_HOME/bin/coral" --version)
    case $found in "coral $line."*) ;; *) printf 'shoal: made for coral %s, found %s\n' "$line" "$found" >&2; exit 1 ;; esac
    printf 'the water rose by %s\n' "$("$CORAL_HOME/bin/coral" sum "$2" m)"
    ;;
  *) printf 'shoal: say "shoal report FILE"\n' >&2; exit 2 ;;
esac
