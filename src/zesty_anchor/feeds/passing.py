"""What a gateway serves: from a mirror, or from where it is published."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator
from contextlib import suppress

from zesty_anchor.feeds.documents import Web
from zesty_anchor.feeds.gateway import Passed, Source, is_document, kind_of
from zesty_anchor.feeds.mirror import REGISTRIES, Mirror, document_place, place_of
from zesty_anchor.feeds.not_there import NotThere

Keep = Callable[[str, str, bytes | Iterator[bytes]], Iterator[bytes]]
"""Stores what is at an address under a path of a mirror, given both and the bytes; returns the same bytes."""
_WHO = "the registry"
_CHUNK = 1 << 18


def published(web: Web, address: str, accept: str) -> Passed | None:
    """What is at an address. Raises ``Problem``."""
    from zesty_anchor.feeds.web import WebBody, body_of, get

    try:
        with get(web.session, address, who=_WHO, headers={"Accept": accept}) as response:
            kind = response.headers.get("Content-Type", "application/octet-stream")
            if is_document(kind):
                return Passed(kind, body_of(response, _WHO, address))
        return Passed(kind, None, WebBody(web.session, address, _WHO).chunks(_CHUNK))
    except NotThere:
        return None


def of_mirror(web: Web, mirror: Mirror) -> Source:
    """What a mirror has of an address; if nothing, and others may be asked, what is published there."""

    def source(address: str, accept: str) -> Passed | None:
        from zesty_anchor.feeds.web import WebBody

        with suppress(NotThere):
            content = _file(web, mirror, document_place(address))
            return Passed(kind_of(content, accept), content)
        try:
            body = WebBody(web.session, mirror.file(place_of(address)), "the mirror")
            return Passed("application/octet-stream", None, body.chunks(_CHUNK))
        except NotThere:
            return None if mirror.only else published(web, address, accept)

    return source


def recording(web: Web, keep: Keep) -> Source:
    """What is published at an address; ``keep`` stores it."""

    def source(address: str, accept: str) -> Passed | None:
        found = published(web, address, accept)
        if found is None:
            return None
        if found.content is not None:
            content = b"".join(keep(document_place(address), address, found.content))
            return Passed(found.kind, content)
        return Passed(found.kind, None, keep(place_of(address), address, found.chunks))

    return source


def registry_of(web: Web, mirror: Mirror, kind: str) -> str:
    """The address of a kind of registry as the mirror names it; empty where it has no such."""
    try:
        found = json.loads(_file(web, mirror, REGISTRIES))
    except (NotThere, ValueError):
        return ""
    address = found.get(kind) if isinstance(found, dict) else None
    return address if isinstance(address, str) and address.startswith(("http://", "https://")) else ""


def _file(web: Web, mirror: Mirror, path: str) -> bytes:
    """A small file of a mirror. Raises ``NotThere`` or ``Problem``."""
    from zesty_anchor.feeds.web import body_of, get

    at = mirror.file(path)
    with get(web.session, at, who="the mirror") as response:
        return body_of(response, "the mirror", at)
