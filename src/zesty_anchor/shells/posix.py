"""The language that sh, bash and zsh have in common (POSIX.1-2017, volume XCU, chapter 2)."""

from __future__ import annotations

import re
from pathlib import Path

from zesty_anchor.shells.shell import MARK, Environment

_PLAIN = re.compile(r"[A-Za-z0-9._/-]+")
"""Letters that mean nothing but themselves, in double quotes and without."""

_HEAD = """\
# Written by zesty-anchor. A change made here is lost: edit workstation.toml, then run "zesty-anchor provision".
"""

# Builtins only: no process is started. Every expansion stands where no field splitting and no file name
# expansion happens (XCU 2.6), so IFS and noglob do not matter; every variable is given a value first, for set -u.
_PATH = """\
zesty_anchor_path={first}
zesty_anchor_rest=${{PATH-}}
[ -z "$zesty_anchor_rest" ] || zesty_anchor_rest=$zesty_anchor_rest:
while [ -n "$zesty_anchor_rest" ]; do
  zesty_anchor_entry=${{zesty_anchor_rest%%:*}}
  zesty_anchor_rest=${{zesty_anchor_rest#*:}}
  case $zesty_anchor_entry in {ours}) continue ;; esac
  case :$zesty_anchor_path: in
    *":$zesty_anchor_entry:"*) ;;
    *) zesty_anchor_path=$zesty_anchor_path${{zesty_anchor_path:+:}}$zesty_anchor_entry ;;
  esac
done
{append}PATH=$zesty_anchor_path
export PATH
unset zesty_anchor_path zesty_anchor_rest zesty_anchor_entry
"""


def quote(text: str) -> str:
    """One word in single quotes (XCU 2.2.2): nothing inside has a meaning, and a quote is put in from outside."""
    return "'" + text.replace("'", "'\\''") + "'"


def home_word(path: Path, home: Path) -> str:
    """A path as one word that stays right when the home is mounted elsewhere."""
    if home in path.parents:
        rest = "/" + str(path.relative_to(home))
        return f'"$HOME{rest}"' if _PLAIN.fullmatch(rest) else '"$HOME"' + quote(rest)
    return quote(str(path))


def block(generated: Path, home: Path) -> str:
    """The one line of a startup file."""
    word = home_word(generated, home)
    return f"if [ -r {word} ]; then . {word}; fi {MARK}"


def reload(generated: Path, home: Path) -> str:
    """The line that a person types in an open shell."""
    if home not in generated.parents:
        return f". {quote(str(generated))}"
    rest = str(generated.relative_to(home))
    return f". ~/{rest if _PLAIN.fullmatch(rest) else quote(rest)}"


def environment(environment: Environment) -> str:
    """The text of the generated file."""
    lines = [_HEAD]
    lines += [f"export {name}={quote(value)}\n" for name, value in environment.variables]
    ours = [quote(environment.shelf + "/") + "*", *(quote(folder) for folder in environment.last)]
    append = ""
    if environment.last:
        word = quote(":".join(environment.last))
        append = f"zesty_anchor_path=$zesty_anchor_path${{zesty_anchor_path:+:}}{word}\n"
    lines.append(_PATH.format(first=quote(":".join(environment.first)), ours="|".join(ours), append=append))
    return "".join(lines)
