"""Feeds of kind ``json``: any release list in JSON, mapped with JMESPath expressions (jmespath.org,
specification).
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from contextlib import suppress
from typing import Any
from urllib.parse import urljoin

import msgspec

from zesty_anchor.feeds.feed import Feed
from zesty_anchor.feeds.names import counted, filled, places
from zesty_anchor.feeds.not_there import NotThere
from zesty_anchor.feeds.release import Release, withdrawn_because
from zesty_anchor.feeds.sums import pinned_by
from zesty_anchor.system.problem import Problem, UsageProblem

_HEX = re.compile(r"[0-9a-fA-F]+")
_ALGORITHMS = {64: "sha256", 96: "sha384", 128: "sha512"}


class JsonFeed(Feed):
    """A document at ``url``, in which ``map`` finds ``releases``, and of each ``version``, ``file``, and
    maybe ``channel``, ``date``, ``ends``, ``digest``, ``size``, ``licence``, ``withdrawn`` (a reason, or
    true) and ``security`` (true where it fixes a weakness). Where it gives no digests, ``sums`` may name a
    list of them for each version, which is signed where the manifest names a key. The recipe's ``version`` is
    what of a version's text counts, and its ``lines`` are those for which there is a document each,
    ``{line}`` standing for one in the address.
    """

    title = "upstream"
    map_keys = ("releases", "version", "file")

    def pinned(self, release: Release) -> Release:
        """With the digest of its version's own list, where the document gives none."""
        if release.digest or not self.supply.sums:
            return release
        signed = self.supply.key is not None
        return pinned_by(self.supply.sums, release, self.address, self.web, self.who, signed=signed)

    def releases(self, product: str, platform: str) -> list[Release]:
        """Every version of ``product`` for ``platform``, in no particular order."""
        lines = self.supply.source.lines if self.supply.source else ()
        if not lines:
            return self._listed(places(product, platform))
        found: list[Release] = []
        for line in lines:
            with suppress(NotThere):
                found += self._listed({**places(product, platform), "line": line})
        return found

    def _listed(self, known: dict[str, str]) -> list[Release]:
        """What one document holds."""
        url = filled(self.address, known)
        answer = self._read(url)
        expressions = {key: self._compiled(key, filled(text, known)) for key, text in self.supply.map.items()}
        entries = expressions["releases"].search(answer)
        if not isinstance(entries, list):
            raise Problem(
                f"{self.who}: map.releases finds no list",
                where=f"{url}, {self.supply.map['releases']}",
                advice="fix the expression; jmespath.org describes the language",
            )
        pattern = self.supply.source.version if self.supply.source else ""
        found = (_release(entry, expressions, url) for entry in entries)
        return [
            msgspec.structs.replace(release, version=version)
            for release in found
            if release is not None and (version := counted(release.version, pattern))
        ]

    def _read(self, url: str) -> Any:
        """The document at an address, as values."""
        return self.web.json(url, who=self.who)

    def _compiled(self, key: str, text: str) -> Any:
        import jmespath

        try:
            return jmespath.compile(text)
        except jmespath.exceptions.JMESPathError as error:
            raise UsageProblem(
                f"map.{key} of the feed {self.name!r} is no JMESPath expression:"
                f" {str(error).splitlines()[0]}",
                where=text,
                advice="jmespath.org describes the language",
            ) from None


def _release(entry: Any, expressions: Mapping[str, Any], url: str) -> Release | None:
    def value(key: str) -> Any:
        return expressions[key].search(entry) if key in expressions else None

    version, file = value("version"), value("file")
    if not isinstance(version, str | int | float) or not isinstance(file, str):
        return None
    channel, size = value("channel"), value("size")
    channels = [channel] if isinstance(channel, str) else channel if isinstance(channel, list) else []
    return Release(
        version=str(version),
        url=urljoin(url, file),
        digest=_digest(str(value("digest") or "")),
        size=size if isinstance(size, int) else None,
        channels=tuple(str(each) for each in channels),
        date=str(value("date") or "")[:10],
        ends=str(value("ends") or "")[:10],
        withdrawn=withdrawn_because(value("withdrawn")),
        security=value("security") is True,
        licence=str(value("licence") or ""),
    )


def _digest(text: str) -> str:
    """A digest with its algorithm, which its length tells where the text does not."""
    algorithm, _, digits = text.rpartition(":")
    if not _HEX.fullmatch(digits) or _ALGORITHMS.get(len(digits)) not in (
        algorithm or _ALGORITHMS.get(len(digits)),
    ):
        return ""
    name = _ALGORITHMS.get(len(digits), "")
    return f"{name}:{digits.lower()}" if name else ""
