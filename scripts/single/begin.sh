#!/bin/sh
# zesty-anchor @VERSION@ in one file: program, libraries and interpreter. The first start unpacks them, once, into a folder of your own
# below ~/.cache (or XDG_CACHE_HOME), which can be removed at any time. `zesty-anchor dismantle --program` removes both.
case ${XDG_CACHE_HOME-} in /*) za_cache=$XDG_CACHE_HOME ;; *) za_cache=${HOME:?'zesty-anchor: HOME is not set'}/.cache ;; esac
za_folder=$za_cache/zesty-anchor-program/@VERSION@-@DIGEST@
case $0 in /*) za_file=$0 ;; */*) za_file=$PWD/$0 ;; *) za_file=$(command -v -- "$0") ;; esac
if [ ! -O "$za_folder/single-file" ]; then
  za_fails() {
    printf 'zesty-anchor: %s\n  next:  %s\n' "$1" "$2" >&2
    exit 1
  }
  for za_need in tail gzip tar sha256sum mktemp; do
    command -v "$za_need" >/dev/null || za_fails "$za_need is missing, which unpacks this file" "install it (coreutils, gzip, tar)"
  done
  [ ! -e "$za_folder" ] || za_fails "$za_folder is not complete, or belongs to somebody else" "remove it, then try again"
  (umask 077 && mkdir -p "$za_cache/zesty-anchor-program") || za_fails "$za_cache/zesty-anchor-program cannot be made" "set XDG_CACHE_HOME to a folder of your own"
  za_room=$(mktemp -d "$za_cache/zesty-anchor-program/.unpacking-XXXXXX") || za_fails "no folder can be made in $za_cache" "is the disk full?"
  trap 'rm -rf "$za_room"' EXIT
  trap 'exit 130' INT
  trap 'exit 143' TERM HUP
  tail -n +@FROM@ "$za_file" >"$za_room.gz" || za_fails "$za_file cannot be read" "fetch it again"
  trap 'rm -rf "$za_room" "$za_room.gz"' EXIT
  [ "$(sha256sum <"$za_room.gz")" = "@DIGEST@  -" ] || za_fails "$za_file is damaged: its digest is not the one it was made with" "fetch it again"
  gzip -dc "$za_room.gz" | (umask 077 && tar -xf - -C "$za_room" --no-same-owner) || za_fails "it cannot be unpacked into $za_cache" "is the disk full?"
  chmod 700 "$za_room"
  "$za_room/bin/python3" -I -c '' || za_fails "a program in $za_cache cannot be run" "is it mounted with noexec, or is this system's C library older than 2.31? set XDG_CACHE_HOME to another folder"
  mv "$za_room" "$za_folder" 2>/dev/null || [ -O "$za_folder/single-file" ] || za_fails "$za_folder cannot be made" "try again"
  rm -rf "$za_room" "$za_room.gz"
  trap - EXIT INT TERM HUP
fi
ZESTY_ANCHOR_FILE=$za_file exec "$za_folder/bin/python3" -I "$za_folder/bin/zesty-anchor" "$@"
