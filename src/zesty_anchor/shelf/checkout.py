"""Bringing in one commit of a repository, without its history (git-fetch(1), --depth)."""

from __future__ import annotations

import shutil
from collections.abc import Mapping
from pathlib import Path

from zesty_anchor.system.git import run_git
from zesty_anchor.system.problem import Problem

_SECONDS = 900
_OPTIONS = ("-c", "core.hooksPath=/dev/null", "-c", "protocol.file.allow=always", "-c", "advice.detachedHead=false")


def check_out(url: str, commit: str, folder: Path, environ: Mapping[str, str], *, seconds: float = _SECONDS) -> None:
    """Put the files of ``commit`` into the empty ``folder``; each step of git's may take ``seconds``.

    Raises ``Problem`` where git cannot, does not end in time, or gives another commit.
    """

    def git(*words: str) -> str:
        # No configuration of the system: no hooks, no filters, no other remote stands in between.
        answer = run_git(
            [*_OPTIONS, "-C", str(folder), *words], {**environ, "GIT_CONFIG_NOSYSTEM": "1"}, where=url, seconds=seconds
        )
        if answer.returncode != 0:
            said = answer.stderr.strip().splitlines()
            raise Problem(
                f"git {words[0]} failed: {said[-1] if said else 'it says no more'}",
                where=url,
                advice="check the address; the commit must still be reachable from the tag",
            )
        return answer.stdout

    git("init", "-q")
    git("fetch", "-q", "--depth", "1", url, commit)
    git("checkout", "-q", "FETCH_HEAD")
    found = git("rev-parse", "HEAD").strip()
    if found != commit:
        raise Problem(f"the repository gave commit {found}, not {commit}", where=url, advice="tell whoever runs it")
    shutil.rmtree(folder / ".git")
