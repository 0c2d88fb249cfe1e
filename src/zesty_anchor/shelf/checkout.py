"""Bringing in one commit of a repository, without its history (git-fetch(1), --depth)."""

from __future__ import annotations

import os
import re
import shutil
from collections.abc import Mapping
from pathlib import Path

from zesty_anchor.shelf.members import Gate
from zesty_anchor.system.git import protocol_of, run_git, run_git_bytes
from zesty_anchor.system.problem import Problem

_SECONDS = 900
_COMMIT = re.compile(r"\A[0-9a-f]{40}(?:[0-9a-f]{24})?\Z")


def check_out(
    url: str, commit: str, folder: Path, environ: Mapping[str, str], *, seconds: float = _SECONDS
) -> bytes:
    """Put the files of ``commit`` into the empty ``folder``; each step of git's may take ``seconds``. Returns
    the commit itself, as git keeps it (git-cat-file(1)).

    Raises ``Problem`` where git cannot, does not end in time, or gives another commit, ``ArchiveRefused``
    where a link leads out.
    """
    protocol = protocol_of(url)
    if not _COMMIT.match(commit):
        raise Problem(f"{commit!r} is no commit", where=url, advice="lock it anew: zesty-anchor lock")

    def git(*words: str) -> str:
        answer = run_git(["-C", str(folder), *words], environ, where=url, seconds=seconds, protocol=protocol)
        if answer.returncode != 0:
            said = answer.stderr.strip().splitlines()
            raise Problem(
                f"git {words[0]} failed: {said[-1] if said else 'it says no more'}",
                where=url,
                advice="check the address; the commit must still be reachable from the tag",
            )
        return answer.stdout

    git("init", "-q")
    git("fetch", "-q", "--depth", "1", "--no-tags", "--", url, commit)
    git("checkout", "-q", "FETCH_HEAD")
    found = git("rev-parse", "HEAD").strip()
    if found != commit:
        raise Problem(
            f"the repository gave commit {found}, not {commit}", where=url, advice="tell whoever runs it"
        )
    words = ["-C", str(folder), "cat-file", "commit", commit]
    itself = run_git_bytes(words, environ, where=url, seconds=seconds).stdout
    shutil.rmtree(folder / ".git")
    _let_in(folder)
    return itself


def _let_in(folder: Path) -> None:
    """Judge its paths and links as those of an archive."""
    gate = Gate()
    for where, folders, files in os.walk(folder):
        for name in (*folders, *files):
            full = os.path.join(where, name)
            path = gate.place(os.path.relpath(full, folder))
            if os.path.islink(full):
                gate.link(path, path, os.readlink(full))
    gate.check_links()
