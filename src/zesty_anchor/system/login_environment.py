"""The variables that steer which files a shell reads, as a login here gives them: never as whoever called us
has them.
"""

from __future__ import annotations

import os
import re
from collections.abc import Iterator
from pathlib import Path

NAMES = ("ENV", "ZDOTDIR")
"""What the shells of the Korn family, and zsh, look at before they read anything (ksh(1), "Invocation";
zsh(1), "STARTUP/SHUTDOWN FILES").
"""
_PAM = Path("/etc/environment")
_FOLDERS = (Path("/etc/environment.d"), Path("/usr/lib/environment.d"))
_ROW = r"(?m)^\s*(?:export\s+)?([A-Za-z_]\w*)=(.*?)\s*$"


def login_environment(home: Path, config: Path) -> dict[str, str]:
    """Those of the ``NAMES`` that pam_env(8) or environment.d(5) set, or that the session had from its
    beginning: the process that we were called from was given them (proc(5), /proc/pid/environ), and did not
    set them itself. Each is a whole path.
    """
    found: dict[str, str] = {}
    for name, value in [*_of_the_session(), *_of_files(config)]:
        plain = re.sub(r"\$\{?HOME\}?", lambda _: str(home), value.strip("\"'"))
        if name in NAMES and plain.startswith("/"):
            found[name] = plain
    return found


def _of_files(config: Path) -> Iterator[tuple[str, str]]:
    files = [
        _PAM,
        *(file for folder in (*_FOLDERS, config / "environment.d") for file in sorted(folder.glob("*.conf"))),
    ]
    for file in files:
        try:
            text = file.read_text("utf-8", "replace")
        except OSError:
            continue
        if any(name in text for name in NAMES):
            yield from re.findall(_ROW, text)


def _of_the_session() -> Iterator[tuple[str, str]]:
    try:
        given = Path(f"/proc/{os.getppid()}/environ").read_bytes()
    except OSError:
        return
    for row in os.fsdecode(given).split("\0"):
        name, sign, value = row.partition("=")
        if sign:
            yield name, value
