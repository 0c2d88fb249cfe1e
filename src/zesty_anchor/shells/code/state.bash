echo "$?" >ROOM/status
{ set +o; shopt -p; } >ROOM/option
for za_name in $(compgen -v); do printf '\0%s\0' "$za_name"; declare -p "$za_name"; done >ROOM/variable 2>/dev/null
alias -p >ROOM/alias-quoted
for za_name in $(compgen -A function); do printf '\0%s\0' "$za_name"; declare -f "$za_name"; done >ROOM/function
complete -p >ROOM/completion 2>/dev/null
trap -p >ROOM/trap
ENV -0 >ROOM/exported
umask >ROOM/limit 2>/dev/null
: >ROOM/ready
