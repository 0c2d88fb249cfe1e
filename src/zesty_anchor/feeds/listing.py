"""Feeds of kind ``listing``: a web folder listing, with a list of SHA-256 digests beside the files, or in the
page itself, in the row of each file.

The list has the form that sha256sum(1) writes: a digest, two spaces (or a space and a star), a name.
"""

from __future__ import annotations

from contextlib import suppress
from typing import TYPE_CHECKING
from urllib.parse import unquote, urljoin

import msgspec

from zesty_anchor.feeds.feed import Feed, folder_address
from zesty_anchor.feeds.names import counted, filled, places, version_in
from zesty_anchor.feeds.not_there import NotThere
from zesty_anchor.feeds.release import Release
from zesty_anchor.feeds.spelling import plain
from zesty_anchor.feeds.sums import digests_in, pinned_by
from zesty_anchor.system.problem import Problem

if TYPE_CHECKING:
    from zesty_anchor.feeds.links import Links


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
        known = places(product, platform)
        digests = self._digests() if "{version}" not in self._sums else {}
        found = []
        links = self._links(self.address)
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

    def _links(self, address: str) -> Links:
        from zesty_anchor.feeds.links import Links

        return Links(self.web.text(address, who=self.who, pages=True))

    def _in_folders(self, product: str, platform: str) -> list[Release]:
        known = places(product, platform)
        outer = self.supply.file.partition("/")[0]
        found = []
        for link, _ in self._links(self.address).found:
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
            links = [link for link, _ in self._links(f"{folder}/").found]
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
