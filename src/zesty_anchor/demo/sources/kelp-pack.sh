#!/bin/sh
# kelp-pack: puts a command-line package into the kelp that it came with.
#
#   kelp-pack add NAME [VERSION]
set -eu
here=$(CDPATH='' cd -- "$(dirname -- "$0")/.." && pwd)

[ "${1-}" = add ] && [ -n "${2-}" ] || { printf 'kelp-pack: say "kelp-pack add NAME [VERSION]"\n' >&2; exit 2; }
case $2 in *[!a-z-]*) printf 'kelp-pack: %s is no name\n' "$2" >&2; exit 2 ;; esac
package=
for file in "$here/share/packages/$2-${3:-}"*.sh; do
  if [ -r "$file" ]; then package=$file; fi
done
[ -n "$package" ] || { printf 'kelp-pack: there is no package %s %s\n' "$2" "${3:-}" >&2; exit 1; }
printf 'adding %s\n' "${package##*/}"
cp "$package" "$here/bin/$2"
chmod 755 "$here/bin/$2"
