#!/bin/sh
# kelp-tidy 1.2: prints a bulletin without its remarks and empty lines.
set -eu
[ "${1-}" != --version ] || { echo 'kelp-tidy 1.2'; exit 0; }
while IFS= read -r line || [ -n "$line" ]; do
  case $line in '' | '#'*) ;; *) printf '%s\n' "$line" ;; esac
done <"${1:?kelp-tidy: name a bulletin}"
