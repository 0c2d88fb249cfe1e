"""What else speaks of an old install, and is no startup file: settings, timers, units, scripts, links. Named,
never cut.
"""

from __future__ import annotations

import os
import re
import stat
import subprocess
from collections.abc import Collection, Iterable, Iterator
from pathlib import Path

import msgspec

from zesty_anchor.survey.machine import Machine
from zesty_anchor.survey.startup.places import other_spellings

_MOST_BYTES = 1 << 18
_MOST_FILES = 5000
_DEPTH = 4
_SECONDS = 5.0
_TREES = (
    ".config", "bin", ".local/bin", ".local/share/applications", ".local/share/systemd/user", ".ssh",
    ".emacs.d", ".vim",
)  # fmt: skip
"""Folders of a home whose text files are looked through; of the home itself those whose names begin with a
dot.
"""
_PASSED = re.compile(
    r"history|\.log$|\.lock$|\.sqlite|^Cache|^\.?cache$|recently-used|^cookies", re.IGNORECASE
)
"""Names of what no person writes by hand."""


class Mention(msgspec.Struct, frozen=True):
    """A line that speaks of it, from 1; 0: a link that leads there."""

    file: str
    line: int
    text: str


def mentions(folders: Iterable[Path], machine: Machine, judged: Collection[Path]) -> list[Mention]:
    """Every line that speaks of folders or files that are to go, but for those in files that were ``judged``
    already, and in what goes itself. The person's table of cron(8) counts as a file.
    """
    home = machine.locations.home
    folders = tuple(folders)
    if not folders:
        return []
    pattern = _pattern([*folders, *other_spellings(folders, home)], home)
    passed = {str(path) for path in (*judged, *folders)}
    ours = (
        machine.locations.data,
        machine.locations.state,
        machine.locations.cache,
        machine.locations.config,
    )
    passed |= {str(path) for path in ours}
    found: list[Mention] = []
    for number, path in enumerate(_files(home, passed)):
        if number >= _MOST_FILES:
            break
        found += _in_file(path, pattern, folders, machine)
    for line, text in enumerate(_table(), 1):
        if pattern.search(text) and not text.lstrip().startswith(b"#"):
            found.append(Mention("crontab -e", line, os.fsdecode(text.strip())))
    return found


def _pattern(paths: Iterable[Path], home: Path) -> re.Pattern[bytes]:
    """A path as written out, or by one of the names that a home has: ``~``, ``$HOME``, systemd.unit(5)'s
    ``%h``.
    """
    written = []
    for path in paths:
        whole = re.escape(os.fsencode(path))
        if path.is_relative_to(home) and path != home:
            rest = re.escape(b"/" + os.fsencode(path.relative_to(home)))
            whole = rb"(?:" + whole + rb"|(?:~|\$HOME|\$\{HOME\}|%h)" + rest + rb")"
        written.append(whole)
    return re.compile(rb"(?:" + rb"|".join(written) + rb")(?![\w.-])")


def _files(home: Path, passed: Collection[str]) -> Iterator[Path]:
    for entry in _listed(home):
        if (
            entry.name.startswith(".")
            and entry.path not in passed
            and not entry.is_dir(follow_symlinks=False)
        ) or (entry.is_symlink() and entry.path not in passed):
            yield Path(entry.path)
    for tree in _TREES:
        yield from _below(home / tree, passed, _DEPTH)


def _below(folder: Path, passed: Collection[str], depth: int) -> Iterator[Path]:
    for entry in _listed(folder):
        if entry.path in passed or _PASSED.search(entry.name):
            continue
        if entry.is_dir(follow_symlinks=False):
            if depth:
                yield from _below(Path(entry.path), passed, depth - 1)
        else:
            yield Path(entry.path)


def _listed(folder: Path) -> list[os.DirEntry[str]]:
    try:
        return sorted(os.scandir(folder), key=lambda entry: entry.name)
    except OSError:
        return []


def _in_file(
    path: Path, pattern: re.Pattern[bytes], folders: Collection[Path], machine: Machine
) -> Iterator[Mention]:
    shown = machine.locations.shown(path)
    try:
        state = path.lstat()
        if stat.S_ISLNK(state.st_mode):
            leads = Path(os.path.normpath(path.parent / os.readlink(path)))
            if any(leads.is_relative_to(folder) for folder in folders):
                yield Mention(shown, 0, machine.locations.shown(leads))
            return
        if not stat.S_ISREG(state.st_mode) or state.st_size > _MOST_BYTES or _PASSED.search(path.name):
            return
        content = path.read_bytes()
    except OSError:
        return
    if b"\0" in content or not pattern.search(content):
        return
    for number, row in enumerate(content.splitlines(), 1):
        comment = row.lstrip().startswith((b"#", b"//")) and not (number == 1 and row.startswith(b"#!"))
        if pattern.search(row) and not comment:
            yield Mention(shown, number, os.fsdecode(row.strip()))


def _table() -> list[bytes]:
    """The person's own table of cron(8): crontab(1), ``-l``."""
    try:
        answer = subprocess.run(
            ["crontab", "-l"], stdin=subprocess.DEVNULL, capture_output=True, timeout=_SECONDS, check=False
        )
    except (OSError, subprocess.TimeoutExpired):
        return []
    return answer.stdout.splitlines() if answer.returncode == 0 else []
