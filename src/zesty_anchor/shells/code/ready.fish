abbr --show 2>/dev/null
printf %s END
for za_name in NAMES
  functions -q $za_name; or continue
  set -l za_told (functions --details -v $za_name)
  printf '%s\n' $za_name $za_told[1] $za_told[3]
end
printf %s END
builtin -n
printf %s END (string join -n : -- $PATH) END
exec ENV -0
