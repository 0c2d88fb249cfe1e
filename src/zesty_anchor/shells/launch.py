"""The launchers: small files in the language of sh, one a command, for whoever reads no startup file."""

from __future__ import annotations

import re
from pathlib import Path

from zesty_anchor.shells import posix
from zesty_anchor.shells.environment import MANIFEST_NAME, Environment, Of, Switchable, Template
from zesty_anchor.shells.posix import quote

MARK = "# zesty-anchor launcher"
"""The second line of each launcher: a file without it is not ours."""

# Builtins only, until exec. See korn.py for the files that it reads; here one runtime counts. PATH is split,
# and not searched by a pattern with a star in front, which costs the square of its length (8 kB took a third
# of a second). A shell copies all of a value to add to it, so a long PATH is put together of shorter pieces.
# A command that bears a version in its name (python3.13) is that version's, where the one in effect has it
# not.
_LAUNCH = """\
za_put_first() {{
  za_rest=
  case :${{PATH-}}: in *:{launchers}:*) ;; *) za_rest=:{launchers} ;; esac
  case :${{PATH-}} in *:{shelf}/"$za_runtime"/*) ;; *) PATH=$za_path$za_rest${{PATH:+:$PATH}}; return ;; esac
  IFS=:
  set -f
  za_part=
  for za_place in ${{PATH-}}; do
    case :$za_path: in *:"$za_place":*) ;; *) za_part=$za_part:$za_place ;; esac
    case ${{#za_part}} in ????*) za_rest=$za_rest$za_part za_part= ;; esac
  done
  za_rest=$za_rest$za_part
  case ${{PATH-}} in ?*:) za_rest=$za_rest: ;; esac
  PATH=$za_path$za_rest
}}
za_version= za_soft= za_names= za_default= za_bins= za_asked= za_line=
case $za_runtime in
{runtimes}esac
case " ${{ZESTY_ANCHOR_SESSION-}} " in
  *" $za_runtime="*) za_line=" $ZESTY_ANCHOR_SESSION"; za_version=${{za_line##*" $za_runtime="}}; za_version=${{za_version%% *}} ;;
esac
za_up=${{PWD%/}}
while [ -z "$za_version" ]; do
  for za_name in $za_names; do
    [ -f "$za_up/$za_name" ] && [ "$za_up/$za_name" != {manifest} ] || continue
    za_file=$za_up/$za_name za_entry={pins}$za_up/$za_name=
    if [ ! -r "$za_entry" ] || [ "$za_file" -nt "$za_entry" ] || [ "$za_file" -ot "$za_entry" ]; then
      if [ ! -x {executable} ]; then
        printf '%s: what it pins is not known, since %s is not installed any more: install it with pip install zesty-anchor\n' "$za_file" {executable} >&2
      elif [ -z "$za_asked" ]; then
        ZESTY_ANCHOR_SHELL=launcher {program} pins -- "$za_file" </dev/null >&2
      fi
      za_asked=1
      [ ! -r "$za_entry" ] || [ "$za_file" -nt "$za_entry" ] || [ "$za_file" -ot "$za_entry" ] && continue
    fi
    read -r za_line <"$za_entry" || continue
    case " $za_line " in
      *" $za_runtime="*) za_version=${{za_line##*"$za_runtime="}}; za_version=${{za_version%% *}}; break ;;
      *" ~$za_runtime="*) [ -n "$za_soft" ] || {{ za_soft=${{za_line##*"$za_runtime="}}; za_soft=${{za_soft%% *}}; }} ;;
      *" ! "*) while read -r za_line; do case $za_line in "- $za_runtime "*) printf '%s\\n' "${{za_line#- * }}" >&2; {missing} ;; esac; done <"$za_entry" ;;
    esac
  done
  [ -n "$za_up" ] && [ "$za_up" != "${{HOME-}}" ] || break
  za_up=${{za_up%/*}}
done
za_version=${{za_version:-${{za_soft:-$za_default}}}}
if [ "$za_version" = system ]; then
  IFS=:
  set -f
  for za_place in ${{PATH-}}; do
    za_place=${{za_place:-.}}
    case $za_place/ in {launchers}/ | {shelf}/*) continue ;; esac
    [ -x "$za_place/$za_command" ] && [ ! -d "$za_place/$za_command" ] && [ ! "$za_place" -ef {launchers} ] || continue
    case ${{ZESTY_ANCHOR_LAUNCHED-}} in *" $za_command:$$ "*) break ;; esac
    export ZESTY_ANCHOR_LAUNCHED=" ${{ZESTY_ANCHOR_LAUNCHED-}} $za_command:$$ "
    exec "$za_place/$za_command" "$@"
  done
  printf 'zesty-anchor: %s: the system has no such command, and %s is left to the system here\\n' "$za_command" "$za_runtime" >&2
  exit 127
fi
za_has() {{
  for za_bin in $za_bins; do [ ! -x {shelf}/"$za_runtime/$1/$za_bin/$za_command" ] || return 0; done
  return 1
}}
za_tail=${{za_command#"${{za_command%%[0-9]*}}"}}
za_tail=${{za_tail%%[!0-9.]*}}
case $za_tail in
  *.*)
    if ! za_has "$za_version"; then
      for za_other in {shelf}/"$za_runtime/$za_tail" {shelf}/"$za_runtime/$za_tail".*; do
        za_other=${{za_other##*/}}
        if za_has "$za_other"; then za_version=$za_other; fi
      done
    fi ;;
esac
za_folder={shelf}/$za_runtime/$za_version za_path=
for za_bin in $za_bins; do za_path=$za_path:$za_folder/${{za_bin#.}}; za_path=${{za_path%/}}; done
za_path=${{za_path#:}}
for za_bin in $za_bins; do
  [ -x "$za_folder/$za_bin/$za_command" ] || continue
{variables}  case :${{PATH-}}: in
    ":$za_path:"*) case :$PATH: in *:{launchers}:*) ;; *) za_put_first ;; esac ;;
    *) za_put_first ;;
  esac
  export PATH
  exec "$za_folder/$za_bin/$za_command" "$@"
done
printf 'zesty-anchor: %s: %s %s, which is active here, has no such command\\n' "$za_command" "$za_runtime" "${{za_version:-(none)}}" >&2
for za_other in {shelf}/"$za_runtime"/*; do
  for za_bin in $za_bins; do
    if [ -x "$za_other/$za_bin/$za_command" ]; then
      printf '  next:  zesty-anchor with %s=%s -- %s   (or put it into this version too)\\n' "$za_runtime" "${{za_other##*/}}" "$za_command" >&2
      exit 127
    fi
  done
done
exit 127
"""


_LAUNCHER = re.compile(
    rf"#!/bin/sh\n{re.escape(MARK)}\nza_command=(?P<command>.+?) za_runtime=(?P<runtime>.+)\n\."
    r" (?P<common>.+)\n"
)


NOT_INSTALLED = ", which is not installed"
"""What a command prints where no installed version matches the pin."""
_FAILS = f"case $za_line in *{quote(NOT_INSTALLED)}*) exit 127 ;; esac"


def launcher(command: str, runtime: str, common: str) -> str:
    """The text of one launcher; ``common`` is the file that does the work."""
    return f"#!/bin/sh\n{MARK}\nza_command={quote(command)} za_runtime={quote(runtime)}\n. {quote(common)}\n"


_FOR_ROOT = "# zesty-anchor launcher for root"
_ROOTS_CODE = Path(__file__).with_name("code") / "root.sh"


def for_root(command: str, launchers: str, common: str, shelf: str) -> str:
    """The text of a file of root's that runs a command's launcher where root alone can change what that runs:
    the launcher in the folder ``launchers``, the file that does their work, and the shelf.
    """
    places = f"za_target={quote(f'{launchers}/{command}')} za_common={quote(common)} za_shelf={quote(shelf)}"
    return f"#!/bin/sh\n{_FOR_ROOT}\nza_command={quote(command)} {places}\n{_ROOTS_CODE.read_text('utf-8')}"


def is_for_root(text: str) -> bool:
    """Whether a text is that of such a file, whichever home it names."""
    return text.startswith(f"#!/bin/sh\n{_FOR_ROOT}\n")


def is_launcher(name: str, text: str) -> bool:
    """Whether a file of that name is a launcher of ours, and nothing more: every byte of it is what would be
    written.
    """
    found = _LAUNCHER.fullmatch(text)
    return found is not None and found["command"] == quote(name)


def common(environment: Environment, file: str) -> str:
    """The text of the file that does the work of all launchers."""
    return posix.HEAD.format(stamp=environment.stamp) + _LAUNCH.format(
        runtimes="".join(_runtime(r) for r in environment.runtimes),
        variables="".join(_variable(environment, name, template) for name, template in environment.variables),
        manifest=quote(environment.manifest),
        missing=":" if environment.missing_is_default else _FAILS,
        pins=quote(environment.pins),
        shelf=quote(environment.shelf),
        launchers=quote(environment.launchers),
        program=posix.words(environment.program),
        executable=quote(environment.program[0]),
    )


def _runtime(runtime: Switchable) -> str:
    names = " ".join((MANIFEST_NAME, *runtime.pin_files, *runtime.requirement_files))
    return (
        f"  {runtime.name}) za_default={quote(runtime.default or 'system')} za_names={quote(names)}"
        f" za_bins={quote(' '.join(runtime.bins))} ;;\n"
    )


def _variable(environment: Environment, name: str, template: Template) -> str:
    """What the caller has set stays, unless it is a folder of the shelf: that may be another version's."""
    nothing = "  :\n"
    spoken = [p.runtime for p in template if isinstance(p, Of)]
    value = environment.by_default(template)
    default = f'  [ -n "${{{name}+x}}" ] || export {name}={quote(value)}\n' if value is not None else ""
    if not spoken:
        return default
    here = "".join(
        (
            "$za_folder"
            if isinstance(p, Of) and p.runtime == spoken[0]
            else quote(p)
            if isinstance(p, str)
            else quote(environment.by_default((p,)) or "")
        )
        for p in template
    )
    return (
        f"  if [ $za_runtime = {spoken[0]} ]; then\n"
        f"    case ${{{name}-}} in '' | *{quote(environment.shelf)}/*) export {name}={here} ;; esac\n"
        f"  else\n  {default or nothing}  fi\n"
    )
