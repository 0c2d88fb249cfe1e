"""Feeds of kind ``listing``: a web folder listing, with a list of SHA-256 digests beside the files.

The list has the form that sha256sum(1) writes: a digest, two spaces (or a space and a star), a name.
"""

from __future__ import annotations

import re
from html.parser import HTMLParser
from urllib.parse import unquote, urljoin

from zesty_anchor.feeds.base import BaseFeed, folder_address
from zesty_anchor.feeds.documents import Web
from zesty_anchor.feeds.names import places, version_in
from zesty_anchor.feeds.not_there import NotThere
from zesty_anchor.feeds.release import Release
from zesty_anchor.system.problem import Problem

_SUM = re.compile(r"^([0-9A-Fa-f]{64}) [ *](.+)$", re.MULTILINE)


class Links(HTMLParser):
    """The addresses that a page links to, each with the attributes of its link."""

    def __init__(self, page: str) -> None:
        super().__init__()
        self.found: list[tuple[str, dict[str, str | None]]] = []
        self.feed(page)

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        """Keep a link."""
        named = dict(attrs)
        if tag == "a" and named.get("href"):
            self.found.append((named["href"] or "", named))


class ListingFeed(BaseFeed):
    """A folder at ``url``, whose files are named after ``pattern``."""

    def __init__(self, name: str, url: str, pattern: str, sums: str, web: Web) -> None:
        super().__init__(name, folder_address(url), web)
        self.pattern = pattern
        self.sums = sums

    def releases(self, product: str, platform: str) -> list[Release]:
        """Every version of ``product`` for ``platform``, in no particular order."""
        page = self.web.text(self.address, who=self.who)
        known = places(product, platform)
        digests = self._digests()
        found = []
        names = {unquote(link.split("#")[0].split("?")[0]): link for link, _ in Links(page).found}
        for name, link in names.items():
            version = version_in(name.rpartition("/")[2], self.pattern, known)
            if version:
                digest = digests.get(name.rpartition("/")[2], "")
                signature = next((urljoin(self.address, s) for e in (".asc", ".sig") if (s := names.get(name + e))), "")
                sums = next((s for e in (".asc", ".sig") if (s := names.get(self.sums + e))), "") if digest else ""
                found.append(
                    Release(
                        version=version,
                        url=urljoin(self.address, link),
                        digest=f"sha256:{digest}" if digest else "",
                        signature=urljoin(self.address, sums) if sums else signature,
                        sums=urljoin(self.address, self.sums) if sums else "",
                    )
                )
        if not found:
            raise Problem(
                f"{self.who} lists no file that fits {self.pattern!r}",
                where=self.address,
                advice="mend file = … of the feed; {name}, {version}, {platform}, {system} and {machine} have a meaning",
            )
        return found

    def _digests(self) -> dict[str, str]:
        try:
            text = self.web.text(urljoin(self.address, self.sums), who=self.who)
        except NotThere:
            return {}
        return {name.strip().removeprefix("./"): digest.lower() for digest, name in _SUM.findall(text)}
