"""Feeds of kind ``git``: the tags of a repository, each pinned to its commit (git-ls-remote(1))."""

from __future__ import annotations

import re

from zesty_anchor.feeds.feed import Feed
from zesty_anchor.feeds.names import counted, places, version_in
from zesty_anchor.feeds.release import Release
from zesty_anchor.system.problem import Problem

_SECONDS = 30
_REFERENCE = re.compile(r"^([0-9a-f]{40,64})\trefs/tags/(.+?)(\^\{\})?$", re.MULTILINE)


class GitFeed(Feed):
    """A repository at ``url`` whose tags are named after the pattern ``file``. The recipe's ``version`` is
    what of a version's text counts.
    """

    title = "a repository"
    schemes = ()
    file = "v{version}"

    @classmethod
    def wrong_address(cls, url: str) -> tuple[str, str] | None:
        """Whether git may speak its protocol is asked when it is used."""
        return None

    def releases(self, product: str, platform: str) -> list[Release]:
        """An annotated tag is followed to its commit, which ls-remote marks with ``^{}``."""
        from zesty_anchor.system.git import protocol_of

        commits: dict[str, str] = {}
        local = protocol_of(self.address, f"[feeds.{self.name}] url") == "file"
        answer = self._ask() if local else self.web.asked(self.address, self.who, self._ask)
        for commit, tag, peeled in _REFERENCE.findall(answer):
            if peeled or tag not in commits:
                commits[tag] = commit
        known = places(product, platform)
        counts = self.supply.source.version if self.supply.source else ""
        return [
            Release(version=version, url=self.address, digest=f"commit:{commit}")
            for tag, commit in commits.items()
            if (version := counted(version_in(tag, self.supply.file, known), counts))
        ]

    def _ask(self) -> str:
        from zesty_anchor.system.git import protocol_of, run_git

        answer = run_git(
            ["ls-remote", "--tags", "--", self.address], self.around.environ, where=self.address,
            seconds=_SECONDS,
            protocol=protocol_of(self.address, f"[feeds.{self.name}] url"),
        )  # fmt: skip
        if answer.returncode != 0:
            said = answer.stderr.strip().splitlines()
            raise Problem(
                f"{self.who} cannot be read: {said[-1] if said else 'git says no more'}",
                where=self.address,
                advice="check the address; git ls-remote with it shows the same",
            )
        return answer.stdout
