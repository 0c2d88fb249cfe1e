"""Feeds of kind ``git``: the tags of a repository, each pinned to its commit (git-ls-remote(1))."""

from __future__ import annotations

import os
import re
import subprocess

from zesty_anchor.feeds.base import BaseFeed
from zesty_anchor.feeds.names import places, version_in
from zesty_anchor.feeds.release import Release
from zesty_anchor.system.problem import Problem

_REFERENCE = re.compile(r"^([0-9a-f]{40,64})\trefs/tags/(.+?)(\^\{\})?$", re.MULTILINE)


class GitFeed(BaseFeed):
    """A repository at ``url`` whose tags are named after ``pattern``."""

    def __init__(self, name: str, url: str, pattern: str) -> None:
        super().__init__(name, url)
        self.pattern = pattern

    def releases(self, product: str, platform: str) -> list[Release]:
        """See ``Feed``. An annotated tag is followed to its commit, which ls-remote marks with ``^{}``."""
        commits: dict[str, str] = {}
        for commit, tag, peeled in _REFERENCE.findall(self._ask()):
            if peeled or tag not in commits:
                commits[tag] = commit
        known = places(product, platform)
        return [
            Release(version=version, url=self.address, digest=f"commit:{commit}")
            for tag, commit in commits.items()
            if (version := version_in(tag, self.pattern, known))
        ]

    def _ask(self) -> str:
        try:
            answer = subprocess.run(
                ["git", "ls-remote", "--tags", self.address],
                stdin=subprocess.DEVNULL, capture_output=True, text=True, timeout=120, check=False,
                env={**os.environ, "GIT_TERMINAL_PROMPT": "0", "LC_ALL": "C"},
            )  # fmt: skip
        except FileNotFoundError:
            raise Problem("git is not installed", where=self.address, advice="on Debian: apt-get install git") from None
        except subprocess.TimeoutExpired:
            raise Problem(f"{self.who} does not answer", where=self.address, advice="try again later") from None
        if answer.returncode != 0:
            said = answer.stderr.strip().splitlines()
            raise Problem(
                f"{self.who} cannot be read: {said[-1] if said else 'git says no more'}",
                where=self.address,
                advice="check the address; git ls-remote with it shows the same",
            )
        return answer.stdout
