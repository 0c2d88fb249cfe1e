echo "$?" >ROOM/status
set +o >ROOM/option
set >ROOM/variable-lines
alias -p >ROOM/alias-lines
for za_name in $(typeset +f); do printf '\0%s\0' "${za_name%%\(*}"; typeset -f "${za_name%%\(*}"; done >ROOM/function
trap >ROOM/trap
ENV -0 >ROOM/exported
umask >ROOM/limit 2>/dev/null
: >ROOM/ready
