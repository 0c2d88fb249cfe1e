# Starts work that goes on when the connection is cut; finds it where it is under way, or done and not fetched.
# Gets: base, key (what the work is), words (the command line, quoted for sh), input (not empty: the work reads the
# pipe "input" in its folder, which is written to next).
run=$base/run
if [ -d "$run" ] && [ ! -f "$run/fetched" ]; then
  if [ -f "$run/exit" ] || kill -0 "$(cat "$run/pid")" 2>/dev/null; then
    same=
    [ "$(cat "$run/key")" != "$key" ] || same=yes
    if [ -p "$run/input" ] && { [ -z "$same" ] || [ -z "$input" ]; }; then
      kill "$(cat "$run/pid")" 2>/dev/null # it waits for input that does not come: it has changed nothing yet
    elif [ -n "$same" ]; then
      echo found
      exit 0
    elif [ ! -f "$run/exit" ]; then
      echo busy
      exit 0
    fi
  fi
fi
rm -rf "$run" && mkdir -p "$run" && chmod 700 "$run" || exit
printf %s "$key" >"$run/key" || exit
[ -z "$input" ] || mkfifo "$run/input" || exit
: >"$run/log"
cat >"$run/work" <<'END' || exit
cd "$2" || cd || exit
if [ -p "$1/input" ]; then
  exec <"$1/input"
  rm -f "$1/input"
else
  exec </dev/null
fi
sh -c "$3" >"$1/out" 2>"$1/log"
echo $? >"$1/exit.new"
mv "$1/exit.new" "$1/exit"
END
apart=$(command -v setsid || command -v nohup)
$apart sh "$run/work" "$run" "$base/desk" "$words" >/dev/null 2>&1 </dev/null &
echo $! >"$run/pid"
echo started
