# Prints the steps of the work until it has ended, then its exit status, the end of its log, and what it printed.
# Gets: base.
run=$base/run last=
while [ ! -f "$run/exit" ]; do
  if ! kill -0 "$(cat "$run/pid")" 2>/dev/null; then
    sleep 1
    [ -f "$run/exit" ] && break
    echo lost
    exit 0
  fi
  line=$(tail -n 1 "$run/log")
  [ "$line" = "$last" ] || printf 'step %s\n' "$line"
  last=$line
  sleep 0.3 2>/dev/null || sleep 1
done
echo "exit $(cat "$run/exit")"
tail -n 20 "$run/log" | sed 's/^/log /'
echo out
cat "$run/out"
