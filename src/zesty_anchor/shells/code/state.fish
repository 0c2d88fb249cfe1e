echo $status >ROOM/status
for za_name in (set -n); printf '\0%s\0%s' $za_name (string join ' ' -- $$za_name); end >ROOM/variable
abbr >ROOM/completion
bind --user >ROOM/key 2>/dev/null
ENV -0 >ROOM/exported
umask >ROOM/limit
# It would read some two hundred files of its own to tell functions that no startup file has made.
set -g fish_function_path (string match -v -- $__fish_data_dir/functions $fish_function_path)
for za_name in (functions -n -a | string split ', ')
  string match -q -- "$__fish_data_dir/functions/*" (functions -D $za_name); and continue
  printf '\0%s\0' $za_name; functions --no-details $za_name
end >ROOM/function
true >ROOM/ready
