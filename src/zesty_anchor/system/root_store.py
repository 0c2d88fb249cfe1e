"""What privileged steps believe: copies and notes in a folder that only root can change.

A journal and an attic belong to the person, and any program of theirs may write there. So what is taken back
with privilege is taken from here, and from nowhere else: /var/lib/zesty-anchor/USER/RUN/NAME (hier(7): the
state of programs), where each folder and file belongs to root, is no link, and nobody else may write it.
"""

from __future__ import annotations

import os
import re
import stat
from pathlib import Path

from zesty_anchor.system.command import Command

STORE = Path("/var/lib/zesty-anchor")
_RUN = r"\Arun-[0-9]{1,9}(?:-[0-9a-f]{16})?\Z"
_NAME = r"\A[A-Za-z0-9][A-Za-z0-9.+_~:-]{0,150}\Z"
_PIECE = 60_000
"""Bytes of one argument: Linux takes 131,072 (execve(2), MAX_ARG_STRLEN)."""

_SHOWN = "# "
"""Begins the first line of each script: what it does, for a person."""
_OWN = """# keep what undo needs in $1
set -eu; umask 022
for folder in "${1%/*/*}" "${1%/*}" "$1"; do
  [ ! -L "$folder" ] || { echo "$folder is a link" ; exit 9; }
  [ -d "$folder" ] || mkdir -m 755 -- "$folder"
  [ -O "$folder" ] || { echo "$folder does not belong to root"; exit 9; }
done
"""
_NOTE = _OWN + 'printf %s "$3" >"$1/.new"; mv -T -- "$1/.new" "$1/$2"'
_COPY = _OWN + 'cp -p -- "$3" "$1/.new"; chown 0:0 "$1/.new"; chmod 600 "$1/.new"; mv -T -- "$1/.new" "$1/$2"'
_TAKE = (
    _OWN
    + 'cp -- "$3" "$1/.new"; [ "$(sha256sum <"$1/.new")" = "$4  -" ] || { rm -f -- "$1/.new"; echo "it was'
    ' changed meanwhile"; exit 9; }\n' + 'chmod 644 "$1/.new"; mv -T -- "$1/.new" "$1/$2"'
)
_GIVE = """# put back $2
set -eu
[ -f "$1" ] && [ ! -L "$1" ] && [ -O "$1" ] && [ ! -L "$2" ] || { echo "$1 is not what was put there"; exit 9; }
cp -p -- "$1" "$2.zesty-anchor"; chown --reference="$2" -- "$2.zesty-anchor" 2>/dev/null || :
chmod --reference="$2" -- "$2.zesty-anchor"; mv -T -- "$2.zesty-anchor" "$2"
"""
_WRITE = """# write $1
set -eu; umask 022
[ ! -L "$1" ] || { echo "$1 is a link"; exit 9; }
[ -z "${4-}" ] || [ "$(cat -- "$1" 2>/dev/null | sha256sum)" = "$4  -" ] || { echo "it was changed meanwhile"; exit 9; }
printf %s "$2" >"$3"; chown 0:0 "$3"
if [ -e "$1" ]; then chmod --reference="$1" -- "$3"; else chmod 644 "$3"; fi
mv -T -- "$3" "$1"
"""
_CLEAR = """# remove what undo needed from $1
set -eu
[ ! -L "$1" ] && [ -O "$1" ] || exit 0
folder=$1; shift; cd -- "$folder"
for names do rm -f -- $names; done
cd /; rmdir -- "$folder" "${folder%/*}" "${folder%/*/*}" 2>/dev/null || :
"""


def folder(run: str) -> Path:
    """A run's folder. Raises ``ValueError`` where that is no name of a run."""
    if not re.match(_RUN, run):
        raise ValueError(f"{run!r} is no run")
    return STORE / str(os.geteuid()) / run


def note(run: str, name: str, text: str) -> list[Command]:
    """The commands that write a text there, in as many pieces as it takes."""
    pieces = [text[at : at + _PIECE] for at in range(0, len(text), _PIECE)] or [""]
    return [
        ("sh", "-c", _NOTE, "sh", str(folder(run)), _named(f"{name}.{n}"), piece)
        for n, piece in enumerate(pieces)
    ]


def noted(run: str, name: str) -> str | None:
    """A text that was noted; None where there is none that can be believed."""
    pieces: list[bytes] = []
    while (piece := believed(run, f"{name}.{len(pieces)}")) is not None:
        pieces.append(piece)
    return b"".join(pieces).decode("utf-8", "surrogateescape") if pieces else None


def copy(run: str, name: str, source: str) -> Command:
    """The command that copies a file of the system's there, for root alone to read."""
    return ("sh", "-c", _COPY, "sh", str(folder(run)), _named(name), source)


def take(run: str, name: str, source: str, digest: str) -> Command:
    """The command that copies a file of ours there, where it has this digest (SHA-256, hex) still."""
    return ("sh", "-c", _TAKE, "sh", str(folder(run)), _named(name), source, digest)


def give(run: str, name: str, target: str) -> Command:
    """The command that puts a copy back over a file of the system's."""
    return ("sh", "-c", _GIVE, "sh", str(folder(run) / _named(name)), target)


def write(target: str, content: str, beside: str, before: bytes | None = None) -> Command:
    """The command that gives a file of the system's a content, which no other file is read for. Its mode
    stays. With ``before``, what it was read to hold (empty where it was not there), it fails where another
    user's run, say, has changed it since.
    """
    from hashlib import sha256

    known = () if before is None else (sha256(before).hexdigest(),)
    return ("sh", "-c", _WRITE, "sh", target, content, beside, *known)


def clear(run: str, *names: str) -> Command:
    """The command that removes what bears these names, where ``*`` stands for any letters, and the run's
    folder with the last.
    """
    if any(not re.match(_NAME, name.replace("*", "")) for name in names):
        raise ValueError(f"{names!r} are no names of copies")
    return ("sh", "-c", _CLEAR, "sh", str(folder(run)), *names)


def believed(run: str, name: str) -> bytes | None:
    """What a file there holds; None where it, or a folder above it, is not root's alone, or cannot be
    read.
    """
    if not re.match(_NAME, name):
        return None
    file = folder(run) / name
    try:
        for path in (STORE, file.parent.parent, file.parent, file):
            state = path.lstat()
            if (
                state.st_uid != 0
                or stat.S_ISLNK(state.st_mode)
                or state.st_mode & (stat.S_IWGRP | stat.S_IWOTH)
            ):
                return None
        return file.read_bytes()
    except OSError:
        return None


def stands(run: str, name: str) -> Path | None:
    """Where a copy stands that can be believed, whoever may read it; None where there is none."""
    if not re.match(_NAME, name):
        return None
    file = folder(run) / name
    try:
        states = [path.lstat() for path in (STORE, file.parent.parent, file.parent, file)]
    except OSError:
        return None
    return (
        None if any(s.st_uid != 0 or stat.S_ISLNK(s.st_mode) or s.st_mode & 0o022 for s in states) else file
    )


def shown(command: Command) -> str:
    """What one of these commands does, for a person; empty for any other. Pure."""
    if command[:2] != ("sh", "-c") or not command[2].startswith(_SHOWN):
        return ""
    words = command[2].partition("\n")[0].removeprefix(_SHOWN)
    return words.replace("$1", command[4]).replace("$2", command[5] if len(command) > 5 else "")


def _named(name: str) -> str:
    if not re.match(_NAME, name):
        raise ValueError(f"{name!r} is no name of a copy")
    return name
