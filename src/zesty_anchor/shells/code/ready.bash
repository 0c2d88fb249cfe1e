alias -p
hash -l 2>/dev/null
printf %s END
shopt -s extdebug
for za_name in $(compgen -A function); do declare -F "$za_name"; done
printf %s END
compgen -bk
printf %s END "$PATH" END
exec ENV -0
