"""The links of a page."""

from __future__ import annotations

import re
from html.parser import HTMLParser

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
