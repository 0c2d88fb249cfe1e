# Makes an environment for the program, in which its files are put then. Gets: base, program, python (its path).
folder=$base/program-$program
rm -rf "$folder" && mkdir -p "$folder" && chmod 700 "$base" "$folder" || exit
"$python" -m venv --without-pip "$folder" || exit
for site in "$folder"/lib/python*/site-packages; do
  ln -s "$site" "$folder/site" || exit
done
for name in zesty-anchor za; do
  printf '#!%s\nimport sys\nfrom zesty_anchor.commands import run\nsys.exit(run())\n' "$folder/bin/python" >"$folder/bin/$name" || exit
  chmod 755 "$folder/bin/$name" || exit
done
