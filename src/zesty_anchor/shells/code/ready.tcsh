while IFS='	' read -r za_name za_value; do
  case $za_value in \(*\)) za_value=${za_value#\(} za_value=${za_value%\)} ;; esac
  printf "alias %s='%s'\n" "$za_name" "$za_value"
done
printf %s END END
printf %s END "$PATH" END
exec ENV -0
