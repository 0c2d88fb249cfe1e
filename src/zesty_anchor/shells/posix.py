"""The language that sh and its relatives have in common (POSIX.1-2017, volume XCU, chapter 2)."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable
from pathlib import Path

from zesty_anchor.shells.environment import Environment, Of, Template
from zesty_anchor.shells.reading import MARK

_PLAIN = re.compile(r"[A-Za-z0-9._/-]+")
"""Letters that mean nothing but themselves, in double quotes and without."""

WRITTEN = """\
# Written by zesty-anchor. A change made here is lost: edit workstation.toml, then run "zesty-anchor provision".
"""
"""The first line of each generated file."""

HEAD = WRITTEN + "# stamp {stamp}\n"

# Builtins only: no process is started. The one word that is split, $PATH, is split at colons alone, with file name
# expansion off (XCU 2.6.5 and 2.6.6); IFS and that option are put back as they were, IFS also where it was unset. A
# colon at the end of PATH, which means the current folder, would be lost in splitting, so it is looked at apart.
# In a shell that has just been started none of ours is on PATH, and there is nothing to go through, nor to compare: the loop takes
# longer than all the rest; nor is there where PATH begins and ends as it should, and nothing of the shelf stands in between: so a shell in
# a shell finds it. Entries of ours give way to the new ones: all of them at the front, or with "keep" where the first of them stood, so
# that what the person put before ours stays before it. Where there is nothing to put in front, PATH gets no empty entry, which
# would stand for the current folder.
PLACE = """\
  case :${{PATH-}}: in
    *{any})
      case $za__mode:${{PATH-}} in
        first:"$za__front"*:{shelf}/*) ;;
        first:"$za__front":*{last}) za__mode=done ;;
      esac
      case $za__mode in done) ;; *)
        za__out= za__ifs=${{IFS+x$IFS}} za__flags=$-
        IFS=:
        \\set -f
        for za__entry in ${{PATH-}}; do
          case $za__entry:$za__out: in
            {ours})
              case $za__mode in keep) za__mode=kept za__out=$za__out${{za__front:+:$za__front}} ;; esac ;;
            *":$za__entry:"*) ;;
            *) za__out=$za__out:$za__entry ;;
          esac
        done
        case $za__flags in *f*) ;; *) \\set +f ;; esac
        case $za__ifs in '') \\unset IFS ;; *) IFS=${{za__ifs#x}} ;; esac
        case ${{PATH-}} in ?*:) za__out=$za__out: ;; esac
        case $za__mode$za__front in kept* | first | keep) PATH=${{za__out#:}} ;; *) PATH=$za__front$za__out ;; esac
{add_last}      esac ;;
    *)
      PATH=$za__front${{za__front:+${{PATH:+:}}}}${{PATH-}}
{add_last}      ;;
  esac
  \\export PATH
"""


def quote(text: str) -> str:
    """One word in single quotes (XCU 2.2.2): nothing inside has a meaning, and a quote is put in from outside."""
    return "'" + text.replace("'", "'\\''") + "'"


def word(template: Template, folder: Callable[[str], str], quoted: Callable[[str], str] = quote) -> str:
    """A value as one word; ``folder`` gives the name of the variable that holds a runtime's folder."""
    parts = (f'"${folder(part.runtime)}"' if isinstance(part, Of) else quoted(part) for part in template)
    return "".join(parts) or quoted("")


def home_word(path: Path, home: Path) -> str:
    """A path as one word that stays right when the home is mounted elsewhere."""
    if home in path.parents:
        rest = "/" + str(path.relative_to(home))
        return f'"$HOME{rest}"' if _PLAIN.fullmatch(rest) else '"$HOME"' + quote(rest)
    return quote(str(path))


def block(generated: Path, home: Path, *, early: bool = False) -> str:
    """The one line of a startup file. The early one does nothing in an interactive shell, which meets the other."""
    found = home_word(generated, home)
    line = f"if [ -r {found} ]; then . {found}; fi"
    return f"case $- in *i*) ;; *) {line} ;; esac {MARK}" if early else f"{line} {MARK}"


def reload(generated: Path, home: Path, verb: str = ".") -> str:
    """The line that a person types in an open shell."""
    if home not in generated.parents:
        return f"{verb} {quote(str(generated))}"
    rest = str(generated.relative_to(home))
    return f"{verb} ~/{rest if _PLAIN.fullmatch(rest) else quote(rest)}"


def script(file: str) -> str:
    """The file is in this language already."""
    return f". {quote(file)}"


def assigned(environment: Environment) -> list[str]:
    """What sets the variables, with the versions by default, and the stamp: ``NAME='VALUE'`` each."""
    values = ((name, environment.by_default(template)) for name, template in environment.variables)
    found = [f"{name}={quote(value)}" for name, value in values if value is not None]
    return [*found, f"ZESTY_ANCHOR_LOADED={environment.stamp}"]


def exports(environment: Environment) -> str:
    """The lines that set and export them."""
    return "".join(f"\\export {each}\n" for each in assigned(environment))


def place(environment: Environment, last: Iterable[str]) -> str:
    """The lines that put ``$za__front`` first on PATH, by ``$za__mode``, and the folders ``last``."""
    folders = tuple(last)
    static = dict.fromkeys((*environment.first, environment.launchers, *environment.last))
    ours = [quote(environment.shelf + "/") + "*", *(quote(folder + ":") + "*" for folder in static)]
    some = [f"*:{quote(environment.shelf + '/')}*", *(f"*:{quote(folder)}:*" for folder in static)]
    return PLACE.format(
        any=" | *".join(some),
        shelf=quote(environment.shelf),
        ours=" | ".join(ours),
        last=quote("".join(f":{folder}" for folder in folders)),
        add_last=f"      PATH=${{PATH:+$PATH:}}{quote(':'.join(folders))}\n" if folders else "",
    )


def place_scripted(environment: Environment) -> str:
    """PATH for a shell that does not follow the current folder: the launchers do it for it."""
    front = quote(":".join(environment.scripted))
    return (
        f"  za__front={front} za__mode=first\n{place(environment, environment.last)}"
        "  \\unset za__front za__mode za__out za__entry za__ifs za__flags\n"
    )


def behind(lines: str) -> str:
    """A foreign program's lines, after which what they put before PATH stands behind it: ours answers first."""
    return (
        f'za__path=$PATH\n{lines.rstrip()}\ncase $PATH in\n  *":$za__path")\n   '
        ' za__more=${PATH%":$za__path"}\n    case ":$za__path:" in *":$za__more:"*) PATH=$za__path ;; *)'
        " PATH=$za__path${za__more:+:$za__more} ;; esac\n    \\unset za__more ;;\nesac\n\\unset za__path"
    )


def words(program: Iterable[str]) -> str:
    """A command as words."""
    return " ".join(map(quote, program))


def tests(names: Iterable[str], folder: str = "") -> list[str]:
    """The tests whether any of these files exist, as the inside of ``[[ ]]`` or ``[ ]``."""
    return [f"-e {folder}{name}" for name in names]
