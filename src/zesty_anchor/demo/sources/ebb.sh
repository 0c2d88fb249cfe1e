#!/bin/sh
# ebb @VERSION@: a small interpreter for sums, in POSIX sh.
#
#   ebb FILE        work out a sheet and print what is left
#   ebb --version   print the version
#
# A sheet has one step a line: "begin NUMBER", "rise NUMBER", "fall NUMBER", "times NUMBER", and "# ..." for a remark.
set -eu

fail() {
  printf 'ebb: %s\n' "$1" >&2
  exit 1
}

case ${1-} in
  --version) printf 'ebb %s\n' '@VERSION@' && exit ;;
  '') fail 'name a sheet to work out' ;;
esac
[ -r "$1" ] || fail "cannot read $1"
level=0 row=0
while read -r step amount || [ -n "$step" ]; do
  row=$((row + 1))
  case $step in '' | '#'*) continue ;; esac
  case $amount in '' | *[!0-9]*) fail "row $row: '$amount' is no whole number" ;; esac
  case $step in
    begin) level=$amount ;;
    rise) level=$((level + amount)) ;;
    fall) level=$((level - amount)) ;;
    times) level=$((level * amount)) ;;
    *) fail "row $row: cannot understand '$step'" ;;
  esac
done <"$1"
printf '%s\n' "$level"
