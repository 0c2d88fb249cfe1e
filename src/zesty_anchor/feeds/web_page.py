"""A web page where something else was asked for: mostly one on which a network or a proxy wants a login."""

from __future__ import annotations

import re

from zesty_anchor.system.problem import Problem

_BEGINS = re.compile(rb"\s*(?:<\?xml[^>]*>\s*)?<(?:!doctype\s+html|html)\b", re.IGNORECASE)
_TITLE = re.compile(rb"<title[^>]*>(.*?)</title>", re.IGNORECASE | re.DOTALL)
_LOGIN = re.compile(rb"<input[^>]*\btype\s*=\s*[\"']?password\b", re.IGNORECASE)
_LOOKED_AT = 1 << 16
"""Bytes: HTML says what it is at its beginning."""


def check_page(body: bytes, who: str, url: str, *, pages: bool = False) -> None:
    """Raises ``Problem`` where an answer, or its beginning, is a web page and nobody asked for one; with
    ``pages``, where it asks for a password.
    """
    start = body[:_LOOKED_AT]
    if not _BEGINS.match(start[:1024]) or (pages and not _LOGIN.search(start)):
        return
    title = _TITLE.search(start)
    words = " ".join(title[1].decode("utf-8", "replace").split())[:60] if title else ""
    raise Problem(
        f"{who} gives a web page{f' ({words!r})' if words else ''} instead of what was asked for",
        where=url,
        advice="if your network or proxy wants a login first: open that address in a browser, log in, and run"
        " the same command again; else it is not the address of a feed",
    )
