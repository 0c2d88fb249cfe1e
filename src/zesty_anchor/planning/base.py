"""A base of a manifest that is at an address: fetched once, known by its digest, kept with the answers of
feeds.
"""

from __future__ import annotations

from collections.abc import Mapping

from zesty_anchor.files import own_folders
from zesty_anchor.files.digest import digest_of
from zesty_anchor.files.replace import replace
from zesty_anchor.manifest.layers import Fetch
from zesty_anchor.system.locations import Locations
from zesty_anchor.system.problem import Problem


def fetched_base(environ: Mapping[str, str], locations: Locations, *, offline: bool) -> Fetch:
    """How the text of a base at an address is got: from the cache, else from there.

    Raises ``Problem`` where it cannot be reached, is too large, or has another digest than it should have.
    """

    def fetch(address: str, digest: str) -> bytes:
        kept = locations.cache / "bases" / digest.removeprefix("sha256:")
        try:
            content = kept.read_bytes()
        except OSError:
            content = b""
        if _digest(content) == digest:
            return content
        if offline:
            raise Problem(
                f"the base {address} is not cached, and --offline forbids fetching it",
                advice="run the command once without --offline",
            )
        content = _get(address, environ, locations)
        if _digest(content) != digest:
            raise Problem(
                f"the base {address} has changed: its digest is {_digest(content)}, not {digest}",
                advice=f'read it, and if you want it, write: digest = "{_digest(content)}"',
            )
        own_folders.make(kept.parent)
        replace(kept, content, lasting=False)
        return content

    return fetch


def _get(address: str, environ: Mapping[str, str], locations: Locations) -> bytes:
    from zesty_anchor.feeds.documents import Web
    from zesty_anchor.feeds.trust import trust_here

    web = Web(trust=trust_here(environ, locations.home))
    return web.document(address, who="the base")[1]


def _digest(content: bytes) -> str:
    return f"sha256:{digest_of(content)}"
