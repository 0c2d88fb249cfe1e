echo "$status" >ROOM/status
set >ROOM/variable-lines
alias >ROOM/alias-lines
ENV -0 >ROOM/exported
umask >ROOM/limit
echo ready >ROOM/ready
