echo "$?" >ROOM/status
setopt >ROOM/option
for za_name in ${(k)parameters}; do printf '\0%s\0' "$za_name"; builtin typeset -p "$za_name"; done >ROOM/variable 2>/dev/null
for za_name in ${(k)aliases}; do printf '\0%s\0%s' "$za_name" "${aliases[$za_name]}"; done >ROOM/alias
for za_name in ${(k)functions}; do printf '\0%s\0%s' "$za_name" "${functions[$za_name]}"; done >ROOM/function
for za_name in ${(k)_comps}; do print -r -- "$za_name ${_comps[$za_name]}"; done >ROOM/completion
{ bindkey -L; zstyle -L; } >ROOM/key 2>/dev/null
trap >ROOM/trap
ENV -0 >ROOM/exported
umask >ROOM/limit 2>/dev/null
: >ROOM/ready
