"""What a gateway passes on: from a mirror, or from where it is published."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator

from zesty_anchor.feeds.documents import Web
from zesty_anchor.feeds.gateway import Passed, Source, is_document, kind_of
from zesty_anchor.feeds.mirror import REGISTRIES, Mirror, document_place, place_of
from zesty_anchor.feeds.not_there import NotThere

Keep = Callable[[str, str, bytes | Iterator[bytes]], Iterator[bytes]]
"""Is given the path in a mirror, the address, and what is there; returns the same."""
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
    """What a mirror has of an address; where it has nothing, and is not the only one, what is there."""

    def source(address: str, accept: str) -> Passed | None:
        from zesty_anchor.feeds.web import WebBody, body_of, get

        try:
            at = mirror.file(document_place(address))
            with get(web.session, at, who="the mirror") as response:
                content = body_of(response, "the mirror", at)
            return Passed(kind_of(content, accept), content)
        except NotThere:
            pass
        try:
            body = WebBody(web.session, mirror.file(place_of(address)), "the mirror")
            return Passed("application/octet-stream", None, body.chunks(_CHUNK))
        except NotThere:
            return None if mirror.only else published(web, address, accept)

    return source


def recording(web: Web, keep: Keep) -> Source:
    """What is published at an address, while ``keep`` is given it."""

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
    from zesty_anchor.feeds.web import body_of, get

    at = mirror.file(REGISTRIES)
    try:
        with get(web.session, at, who="the mirror") as response:
            found = json.loads(body_of(response, "the mirror", at))
    except (NotThere, ValueError):
        return ""
    address = found.get(kind) if isinstance(found, dict) else None
    return address if isinstance(address, str) and address.startswith(("http://", "https://")) else ""
