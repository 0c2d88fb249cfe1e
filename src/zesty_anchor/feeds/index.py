"""Feeds of kind ``index``: our own open JSON format, described in docs/feeds.md."""

from __future__ import annotations

import difflib
from typing import Any
from urllib.parse import quote, urljoin

import msgspec

from zesty_anchor.feeds.feed import Feed, folder_address
from zesty_anchor.feeds.not_there import NotThere
from zesty_anchor.feeds.release import Release
from zesty_anchor.system.problem import Problem

FORMAT = "zesty-anchor-index/1"


class _File(msgspec.Struct):
    platform: str
    url: str
    size: int | None = None
    sha256: str = ""
    sha512: str = ""
    signature: str = ""

    @property
    def digest(self) -> str:
        return (
            f"sha512:{self.sha512.lower()}"
            if self.sha512
            else f"sha256:{self.sha256.lower()}"
            if self.sha256
            else ""
        )


class _Release(msgspec.Struct):
    version: str
    files: list[_File]
    channels: list[str] = []
    date: str = ""
    licence: str = ""
    licence_url: str = ""
    ends: str = ""
    withdrawn: str = ""
    security: bool = False


class _Runtime(msgspec.Struct):
    format: str
    runtime: str
    releases: list[_Release]


class _Index(msgspec.Struct):
    format: str
    runtimes: list[str]


class IndexFeed(Feed):
    """An index at ``url``: ``index.json`` names the runtimes, ``NAME.json`` lists the releases of one."""

    title = "an index"
    marks_sources = True

    @property
    def address(self) -> str:
        """The folder that the documents are in."""
        return folder_address(super().address)

    def releases(self, product: str, platform: str) -> list[Release]:
        """Every version of ``product`` for ``platform``, in no particular order."""
        url = urljoin(self.address, quote(product) + ".json")
        try:
            answer = self.web.json(url, who=self.who)
        except NotThere:
            raise self._unknown(product) from None
        runtime = _understood(answer, _Runtime, self.who, url)
        found = []
        for release in runtime.releases:
            files = {f.platform: f for f in release.files}
            file = files.get(platform) or files.get("any") or files.get("source")
            if file is not None:
                found.append(
                    Release(
                        version=release.version,
                        url=urljoin(url, file.url),
                        digest=file.digest,
                        size=file.size,
                        channels=tuple(release.channels),
                        date=release.date,
                        ends=release.ends,
                        withdrawn=release.withdrawn,
                        security=release.security,
                        licence=release.licence,
                        licence_url=urljoin(url, release.licence_url) if release.licence_url else "",
                        source=file.platform == "source",
                        signature=urljoin(url, file.signature) if file.signature else "",
                    )
                )
        return found

    def _unknown(self, product: str) -> Problem:
        url = urljoin(self.address, "index.json")
        known = _understood(self.web.json(url, who=self.who), _Index, self.who, url).runtimes
        close = difflib.get_close_matches(product, known, 1)
        return Problem(
            f"{self.who} has no runtime {product!r}",
            where=url,
            advice=f"did you mean {close[0]!r}?"
            if close
            else f"it has: {', '.join(sorted(known)) or 'none at all'}",
        )


def _understood(answer: Any, kind: type[Any], who: str, url: str) -> Any:
    try:
        parsed = msgspec.convert(answer, kind)
    except msgspec.ValidationError as error:
        raise Problem(
            f"{who} answers with JSON that is no index: {error}",
            where=url,
            advice="zesty-anchor docs feeds describes the format; check the address, and the feed's kind",
        ) from None
    if parsed.format != FORMAT:
        raise Problem(
            f"{who} uses the format {parsed.format!r}; this program reads {FORMAT!r}",
            where=url,
            advice="a newer zesty-anchor may read it",
        )
    return parsed
