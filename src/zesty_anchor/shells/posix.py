"""The language that sh and bash have in common (POSIX.1-2017, volume XCU, chapter 2)."""

from __future__ import annotations

import re
from pathlib import Path

from zesty_anchor.shells.shell import MARK, Environment

_PLAIN = re.compile(r"[A-Za-z0-9._/-]+")
"""Letters that mean nothing but themselves, in double quotes and without."""

HEAD = """\
# Written by zesty-anchor. A change made here is lost: edit workstation.toml, then run "zesty-anchor provision".
"""

# Builtins only: no process is started. The one word that is split, $PATH, is split at colons alone, with file
# name expansion off (XCU 2.6.5 and 2.6.6); IFS and that option are put back as they were, IFS also where it was
# unset. Every variable is given a value first, for set -u. A colon at the end of PATH, which means the current
# folder, would be lost in splitting (XCU 2.6.5), so it is looked at apart.
_PATH = """\
zesty_anchor_path={first}
zesty_anchor_ifs=${{IFS+x$IFS}}
zesty_anchor_flags=$-
IFS=:
set -f
for zesty_anchor_entry in ${{PATH-}}; do
  case $zesty_anchor_entry:$zesty_anchor_path: in
    {ours} | *":$zesty_anchor_entry:"*) ;;
    *) zesty_anchor_path=$zesty_anchor_path${{zesty_anchor_path:+:}}$zesty_anchor_entry ;;
  esac
done
case $zesty_anchor_flags in *f*) ;; *) set +f ;; esac
case $zesty_anchor_ifs in '') unset IFS ;; *) IFS=${{zesty_anchor_ifs#x}} ;; esac
{append}case ${{PATH-}} in ?*:) PATH=$zesty_anchor_path: ;; *) PATH=$zesty_anchor_path ;; esac
export PATH
unset zesty_anchor_path zesty_anchor_ifs zesty_anchor_flags zesty_anchor_entry
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


def exports(environment: Environment) -> str:
    """The lines that set the variables."""
    return "".join(f"export {name}={quote(value)}\n" for name, value in environment.variables)


def environment(environment: Environment) -> str:
    """The text of the generated file."""
    lines = [HEAD, exports(environment)]
    ours = [quote(environment.shelf + "/") + "*", *(quote(folder + ":") + "*" for folder in environment.last)]
    append = ""
    if environment.last:
        word = quote(":".join(environment.last))
        append = f"zesty_anchor_path=$zesty_anchor_path${{zesty_anchor_path:+:}}{word}\n"
    lines.append(_PATH.format(first=quote(":".join(environment.first)), ours=" | ".join(ours), append=append))
    return "".join(lines)
