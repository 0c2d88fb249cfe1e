"""A base of a manifest that is at an address: fetched once, known by its digest, kept with the answers of
feeds.
"""

from __future__ import annotations

from collections.abc import Mapping
from contextlib import suppress
from pathlib import Path

from zesty_anchor.files import own_folders
from zesty_anchor.files.digest import digest_of
from zesty_anchor.files.replace import replace
from zesty_anchor.manifest.layers import Fetch
from zesty_anchor.system.locations import Locations
from zesty_anchor.system.problem import Problem

_SECONDS = 60
_MOST = 1 << 20


def fetched_base(environ: Mapping[str, str], locations: Locations, *, offline: bool) -> Fetch:
    """How the text of a base at an address, or in a repository, is got: from the cache, else from there.

    Raises ``Problem`` where it cannot be reached, is too large, or has another digest than it should have.
    """

    def of_commit(address: str, commit: str) -> bytes:
        kept = locations.cache / "bases" / digest_of(f"{commit} {address}".encode())
        with suppress(OSError):
            return kept.read_bytes()
        if offline:
            raise _not_cached(address)
        content = _in_repository(address, commit, environ, locations)
        own_folders.make(kept.parent)
        replace(kept, content, lasting=False)
        return content

    def fetch(address: str, digest: str) -> bytes:
        if digest.startswith("commit:"):
            return of_commit(address, digest.removeprefix("commit:"))
        kept = locations.cache / "bases" / digest.removeprefix("sha256:")
        try:
            content = kept.read_bytes()
        except OSError:
            content = b""
        if _digest(content) == digest:
            return content
        if offline:
            raise _not_cached(address)
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


def _not_cached(address: str) -> Problem:
    return Problem(
        f"the base {address} is not cached, and --offline forbids fetching it",
        advice="run the command once without --offline",
    )


def _in_repository(address: str, commit: str, environ: Mapping[str, str], locations: Locations) -> bytes:
    """A file of one commit. Nothing else of the repository is kept, and nothing of it runs."""
    from tempfile import TemporaryDirectory

    from zesty_anchor.shelf.checkout import check_out

    url, _, name = address.rpartition("#")
    own_folders.make(locations.cache)
    with TemporaryDirectory(dir=locations.cache) as room:
        check_out(url, commit, Path(room), environ, seconds=_SECONDS)
        file = Path(room, name)
        if not file.is_file() or file.stat().st_size > _MOST:
            raise Problem(
                f"{url} has no file {name} in commit {commit[:12]}, or it is larger than {_MOST >> 20} MiB",
                advice='name it: base = { git = …, commit = …, file = "path/workstation.toml" }',
            )
        return file.read_bytes()


def _get(address: str, environ: Mapping[str, str], locations: Locations) -> bytes:
    from zesty_anchor.feeds.documents import Web
    from zesty_anchor.feeds.trust import trust_here

    web = Web(trust=trust_here(environ, locations.home))
    return web.document(address, who="the base")[1]


def _digest(content: bytes) -> str:
    return f"sha256:{digest_of(content)}"
