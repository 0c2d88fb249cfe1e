"""The person's crontab (crontab(1), crontab(5)): a line of ours that sets PATH for the jobs below it."""

from __future__ import annotations

import os
import pwd
import re
import subprocess
from pathlib import Path

from zesty_anchor.system.problem import Problem

_PROGRAM = "crontab"
_SECONDS = 20
_NONE = b"no crontab for "
JOBS_PATH = "/usr/bin:/bin"
"""The PATH of a job where nothing sets another: crontab(5), "PATH"."""
_MARK = "# zesty-anchor: commands of the manifest for the jobs below"
_PATH_LINE = re.compile(r"""\s*["']?PATH["']?\s*=""")


def read() -> str | None:
    """The text of the calling user's crontab, empty where crontab(1) says that there is none; None where it
    cannot be read, be it that there is no crontab(1).
    """
    try:
        answer = subprocess.run(
            (_PROGRAM, "-l"), capture_output=True, check=False, timeout=_SECONDS, stdin=subprocess.DEVNULL,
            env={**os.environ, "LC_ALL": "C"},
        )  # fmt: skip
    except (OSError, subprocess.TimeoutExpired):
        return None
    if answer.returncode != 0:
        return "" if answer.stderr.startswith(_NONE) else None
    return answer.stdout.decode("utf-8", "surrogateescape")


def write(text: str) -> None:
    """Replace the calling user's crontab; an empty text removes it. Raises ``Problem`` where crontab(1)
    refuses.
    """
    words = (_PROGRAM, "-") if text else (_PROGRAM, "-r")
    try:
        answer = subprocess.run(
            words, input=text.encode("utf-8", "surrogateescape"), capture_output=True, check=False,
            timeout=_SECONDS,
        )  # fmt: skip
    except (OSError, subprocess.TimeoutExpired) as error:
        raise Problem(f"crontab cannot be run: {error}", advice="crontab -l shows what it says") from None
    if answer.returncode != 0:
        said = answer.stderr.decode("utf-8", "replace").strip() or f"exit status {answer.returncode}"
        raise Problem(f"crontab refused the new text: {said}", advice="crontab -l shows what it says")


def with_ours(text: str, launchers: str) -> str:
    """The text with our line in front that puts the folder of launchers first on PATH. Pure."""
    return f"{_MARK}\nPATH={launchers}:{JOBS_PATH}\n{without_ours(text)}"


def without_ours(text: str) -> str:
    """The text without our line, wherever it is now. Pure."""
    rows = text.splitlines(keepends=True)
    kept, place = [], 0
    while place < len(rows):
        if rows[place].rstrip("\n") == _MARK:
            place += 1 + (place + 1 < len(rows) and bool(_PATH_LINE.match(rows[place + 1])))
        else:
            kept.append(rows[place])
            place += 1
    return "".join(kept)


def other_path(text: str) -> int:
    """The number of the first line, from 1, with which the person sets PATH; 0 where none does. Pure."""
    ours = False
    for number, row in enumerate(text.splitlines(), 1):
        if _PATH_LINE.match(row) and not ours:
            return number
        ours = row == _MARK
    return 0


def path_of(text: str) -> str:
    """The PATH that the last line of a crontab's jobs has. Pure."""
    found = [row.partition("=")[2].strip().strip("\"'") for row in text.splitlines() if _PATH_LINE.match(row)]
    return found[-1] if found else JOBS_PATH


def is_of_home(home: Path) -> bool:
    """Whether the calling user's crontab belongs to this home: it is that of passwd(5)."""
    try:
        return os.path.realpath(pwd.getpwuid(os.getuid()).pw_dir) == os.path.realpath(home)
    except KeyError:
        return False
