"""Which shells are set up where the manifest does not say: those that the person uses."""

from __future__ import annotations

import os
import re
from collections import Counter
from collections.abc import Iterator
from pathlib import Path

from zesty_anchor.shells.known import SH, SHELLS
from zesty_anchor.shells.marked import marked_rows
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system.host import calling_shell

SKELETON = Path("/etc/skel")
"""What useradd(8) puts into a new home (-k)."""


def used_shells(machine: Machine) -> tuple[str, ...]:
    """The login shell, the one that this program was called from in a terminal, those that have startup files
    of the person's own, those that are set up already, and those to which a startup file of these hands its
    terminal over; of the shells that are installed.
    """
    calling = calling_shell(machine.environ) if os.isatty(0) else ""
    read_by = Counter(r.file for each in machine.shells for r in SHELLS[each.name].reads(machine.around))

    def is_used(name: str) -> bool:
        files = [reading.file for reading in SHELLS[name].reads(machine.around)]
        own = [file for file in files if read_by[file] == 1]
        return any(_is_own(file, machine) for file in own) or _is_set_up(name, machine)

    used = {
        each.name
        for each in machine.shells
        if each.login or (each.name == calling and calling != SH) or is_used(each.name)
    }
    used |= {name for each in used for name in _started_by(each, machine)}
    return tuple(each.name for each in machine.shells if each.name in used)


_STARTS = re.compile(
    rb"(?:^|[;&|)]|\b(?:then|do|else|and|or)\b)\s*(?:(?:exec|command|env|-\S+|\w+=\S*)\s+)*"
    rb"(?:exec\s+[\"']?\$\((?:command -v|which)\s+)?(?:\S*/)?([a-z]+)[\"')]*(?:\s+-\S+)*\s*(?:$|[;#}&]|\|\|)"
)
"""A command that is a name alone, with options at the most: what a shell is started with for a person."""


def _started_by(name: str, machine: Machine) -> Iterator[str]:
    """What the startup files of this shell start, read row by row: conditions are not evaluated."""
    for reading in SHELLS[name].reads(machine.around):
        for row in (machine.startup[reading.file].content or b"").splitlines():
            yield from (os.fsdecode(found) for found in _STARTS.findall(row))


def _is_own(path: Path, machine: Machine) -> bool:
    """Whether a startup file says something that neither the skeleton, nor the shell itself, nor we have put
    there.
    """
    content = machine.startup[path].content
    if content is None:
        return False
    rows = content.splitlines(keepends=True)
    ours = marked_rows(rows)
    text = b"".join(row for number, row in enumerate(rows) if number not in ours)
    given = SKELETON / path.name
    return bool(_said(text)) and not (given.is_file() and _said(given.read_bytes()) == _said(text))


def _said(text: bytes) -> bytes:
    """A startup file without comments, blank rows, and the empty condition that fish writes into a new one
    (fish(1), config.fish).
    """
    rows = [row.strip() for row in text.splitlines() if row.strip() and not row.strip().startswith(b"#")]
    return re.sub(rb"\Aif status is-interactive\nend\Z", b"", b"\n".join(rows))


def _is_set_up(name: str, machine: Machine) -> bool:
    """Whether it reads something of ours already, by a file that no other shell reads."""
    shell = SHELLS[name]
    own = shell.own_file(machine.locations.others)
    if own is not None:
        return own.is_file()
    shared = {r.file for other, each in SHELLS.items() if other != name for r in each.reads(machine.around)}
    files = [site.file for site in shell.sites(machine.around) if site.file not in shared]
    contents = (machine.startup[file].content for file in files)
    return any(content is not None and marked_rows(content.splitlines(keepends=True)) for content in contents)
