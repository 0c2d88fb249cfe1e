"""Feeds of kind ``listing``: a web folder listing, with a list of SHA-256 digests beside the files, or in the
page itself, in the row of each file.

The list has the form that sha256sum(1) writes: a digest, two spaces (or a space and a star), a name.
"""

from __future__ import annotations

import re
from contextlib import suppress
from html.parser import HTMLParser
from urllib.parse import unquote, urljoin

import msgspec

from zesty_anchor.feeds.feed import Feed, folder_address
from zesty_anchor.feeds.names import counted, filled, places, version_in
from zesty_anchor.feeds.not_there import NotThere
from zesty_anchor.feeds.release import Release
from zesty_anchor.feeds.spelling import plain
from zesty_anchor.feeds.sums import digests_in, pinned_by
from zesty_anchor.system.problem import Problem

_DIGEST = re.compile(r"[0-9A-Fa-f]{64}")


class Links(HTMLParser):
    """The addresses that a page links to, each with the attributes of its link; and the SHA-256 ``digests``
    (hexadecimal) that stand behind a link, in the same row of a table.
    """

    def __init__(self, page: str) -> None:
        super().__init__()
        self.found: list[tuple[str, dict[str, str | None]]] = []
        self.digests: dict[str, str] = {}
        self._last = ""
        self.feed(page)

    def handle_data(self, data: str) -> None:
        """Keep a digest."""
        if self._last and _DIGEST.fullmatch(data.strip()):
            self.digests.setdefault(self._last, f"sha256:{data.strip().lower()}")

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        """Keep a link."""
        named = dict(attrs)
        if tag == "tr":
            self._last = ""
        if tag == "a" and named.get("href"):
            self._last = named["href"] or ""
            self.found.append((self._last, named))


class ListingFeed(Feed):
    """A folder at ``url``, whose files are named after the pattern ``file``."""

    title = "a web folder"
    file = "{name}-{version}.tar.gz"
    sums = "SHA256SUMS"

    @property
    def address(self) -> str:
        """The folder."""
        return folder_address(super().address)

    def pinned(self, release: Release) -> Release:
        """With the digest of its version's own list, where the lists are in folders."""
        if "{version}" not in self._sums:
            return self._spelled(release) if "/" in self.supply.file else release
        signed = self.supply.key is not None
        return pinned_by(self._sums, release, self.address, self.web, self.who, signed=signed)

    def releases(self, product: str, platform: str) -> list[Release]:
        """Every version of ``product`` for ``platform``, in no particular order. Where the pattern has a
        folder, the versions are those of the folders.
        """
        if "/" in self.supply.file:
            return self._in_folders(product, platform)
        page = self.web.text(self.address, who=self.who)
        known = places(product, platform)
        digests = self._digests() if "{version}" not in self._sums else {}
        found = []
        links = Links(page)
        names = {unquote(link.split("#")[0].split("?")[0]): link for link, _ in links.found}
        counts = self.supply.source.version if self.supply.source else ""
        for name, link in names.items():
            version = counted(version_in(name.rpartition("/")[2], self.supply.file, known), counts)
            if version:
                digest = digests.get(name.rpartition("/")[2], "") or links.digests.get(link, "")
                signature = next(
                    (urljoin(self.address, s) for e in (".asc", ".sig") if (s := names.get(name + e))), ""
                )
                sums = (
                    next((s for e in (".asc", ".sig") if (s := names.get(self._sums + e))), "")
                    if digest
                    else ""
                )
                found.append(
                    Release(
                        version=version,
                        url=urljoin(self.address, link),
                        digest=digest,
                        signature=urljoin(self.address, sums) if sums else signature,
                        sums=urljoin(self.address, self._sums) if sums else "",
                    )
                )
        return found or self._none()

    def _in_folders(self, product: str, platform: str) -> list[Release]:
        known = places(product, platform)
        outer = self.supply.file.partition("/")[0]
        found = []
        for link, _ in Links(self.web.text(self.address, who=self.who)).found:
            name = unquote(link.split("#")[0].split("?")[0])
            version = (
                version_in(name.rstrip("/").rpartition("/")[2], outer, known) if name.endswith("/") else ""
            )
            if version:
                inner = filled(self.supply.file, {**known, "version": version}).partition("/")[2]
                found.append(
                    Release(version=version, url=urljoin(urljoin(self.address, link), inner), digest="")
                )
        return found or self._none()

    def _spelled(self, release: Release) -> Release:
        """With the file's name as its version's folder lists it, which may spell the system or the machine in
        another way.
        """
        folder, _, name = release.url.rpartition("/")
        with suppress(Problem):
            links = [link for link, _ in Links(self.web.text(f"{folder}/", who=self.who)).found]
            own = [link for link in links if plain(unquote(link).rpartition("/")[2]) == plain(unquote(name))]
            if own and name not in own:
                return msgspec.structs.replace(release, url=urljoin(f"{folder}/", own[0]))
        return release

    def _none(self) -> list[Release]:
        raise Problem(
            f"{self.who} lists nothing that fits {self.supply.file!r}",
            where=self.address,
            advice=(
                "fix file = … of the feed; {name}, {version}, {platform}, {system} and {machine} have a"
                " meaning"
            ),
        )

    @property
    def _sums(self) -> str:
        """The list of digests, which may bear the product's name."""
        return filled(self.supply.sums, {"name": self.supply.product})

    def _digests(self) -> dict[str, str]:
        try:
            return digests_in(self.web.text(urljoin(self.address, self._sums), who=self.who))
        except NotThere:
            return {}
