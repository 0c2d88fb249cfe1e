echo "$?" >ROOM/status
set >ROOM/variable-lines
alias >ROOM/alias-lines
trap >ROOM/trap
ENV -0 >ROOM/exported
umask >ROOM/limit 2>/dev/null
: >ROOM/ready
