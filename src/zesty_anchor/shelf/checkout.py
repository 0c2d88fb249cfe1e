"""Bringing in one commit of a repository, without its history (git-fetch(1), --depth)."""

from __future__ import annotations

import os
import shutil
import subprocess
from pathlib import Path

from zesty_anchor.system.problem import Problem


def check_out(url: str, commit: str, folder: Path) -> None:
    """Put the files of ``commit`` into the empty ``folder``. Raises ``Problem`` where git cannot, or gives another."""
    _git(folder, url, "init", "-q")
    _git(folder, url, "fetch", "-q", "--depth", "1", url, commit)
    _git(folder, url, "-c", "advice.detachedHead=false", "checkout", "-q", "FETCH_HEAD")
    found = _git(folder, url, "rev-parse", "HEAD").strip()
    if found != commit:
        raise Problem(f"the repository gave commit {found}, not {commit}", where=url, advice="tell whoever runs it")
    shutil.rmtree(folder / ".git")


def _git(folder: Path, url: str, *words: str) -> str:
    # No configuration of the person's: no hooks, no filters, no other remote stands in between.
    environment = {**os.environ, "GIT_TERMINAL_PROMPT": "0", "LC_ALL": "C", "GIT_CONFIG_NOSYSTEM": "1"}
    try:
        answer = subprocess.run(
            ["git", "-c", "core.hooksPath=/dev/null", "-c", "protocol.file.allow=always", "-C", str(folder), *words],
            stdin=subprocess.DEVNULL, capture_output=True, text=True, check=False, timeout=900, env=environment,
        )  # fmt: skip
    except FileNotFoundError:
        raise Problem("git is not installed", where=url, advice="on Debian: apt-get install git") from None
    if answer.returncode != 0:
        said = answer.stderr.strip().splitlines()
        raise Problem(
            f"git {words[0] if words[0] != '-c' else 'checkout'} failed: {said[-1] if said else 'it says no more'}",
            where=url,
            advice="check the address; the commit must still be reachable from the tag",
        )
    return answer.stdout
