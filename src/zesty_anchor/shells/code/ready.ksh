alias -p
printf %s END
typeset +f
printf %s END
builtin
printf %s END "$PATH" END
exec ENV -0
