#!/bin/sh
# Installs bollard @VERSION@ into ~/.bollard and tells bash about it. Made up for the tide desk.
set -eu
folder=${BOLLARD_HOME:-$HOME/.bollard}
if [ -e "$folder/bollard.sh" ]; then
  echo "bollard is in $folder already; remove it first" >&2
  exit 1
fi
echo "putting bollard @VERSION@ into $folder"
mkdir -p "$folder"
cat >"$folder/bollard.sh" <<'THE END OF IT'
@BOLLARD@
THE END OF IT
@HOLDS@
# It only knows one startup file, whatever the shell is.
cat >>"$HOME/.bashrc" <<'THE END OF IT'

# bollard @VERSION@
export BOLLARD_HOME="${BOLLARD_HOME:-$HOME/.bollard}"
[ -r "$BOLLARD_HOME/bollard.sh" ] && . "$BOLLARD_HOME/bollard.sh"
THE END OF IT
echo "done. Open a new terminal to use it."
