# What root's commands get (sudo, a service): only what root alone can change is run. Another user gets what
# they would get without this file.
if [ "$(id -u)" != 0 ]; then
  IFS=:
  set -f
  for za_place in ${PATH-}; do
    case $za_place in /*) ;; *) continue ;; esac
    [ -x "$za_place/$za_command" ] && [ ! -d "$za_place/$za_command" ] && [ ! "$za_place/$za_command" -ef "$0" ] || continue
    exec "$za_place/$za_command" "$@"
  done
  printf '%s: not found (%s is for root alone)\n' "$za_command" "$0" >&2
  exit 127
fi
for za_place in "$za_target" "$za_common" "$za_shelf"; do
  za_place=$(readlink -f -- "$za_place") # a link is judged by where it leads
  while [ -n "$za_place" ]; do
    if [ -n "$(find "$za_place" -prune \( ! -user 0 -o -perm -0020 ! -perm -1000 -o -perm -0002 ! -perm -1000 \) 2>&1)" ]; then
      printf 'zesty-anchor: %s: not run as root, since others can change %s\n' "$za_command" "$za_place" >&2
      exit 126
    fi
    za_place=${za_place%/*}
  done
done
if [ ! -x "$za_target" ]; then
  printf 'zesty-anchor: %s: %s is not there any more\n' "$za_command" "$za_target" >&2
  exit 127
fi
exec "$za_target" "$@"
