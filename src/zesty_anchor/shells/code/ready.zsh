alias -L
hash -L
printf %s END
print -rl -- "${(@kv)functions_source}"
printf %s END
print -rl -- ${(k)builtins} ${(k)reswords}
printf %s END "$PATH" END
exec ENV -0
