"""Lists of digests beside files, as sha256sum(1) and sha512sum(1) write them: a digest, two signs, a name."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING
from urllib.parse import quote, unquote, urljoin

import msgspec

from zesty_anchor.feeds.not_there import NotThere
from zesty_anchor.feeds.release import Release
from zesty_anchor.feeds.spelling import plain
from zesty_anchor.system.problem import Problem

if TYPE_CHECKING:
    from zesty_anchor.feeds.documents import Web

_SUM = re.compile(r"^([0-9A-Fa-f]{64}|[0-9A-Fa-f]{128}) [ *](.+)$", re.MULTILINE)
SIGNATURES = (".sig", ".asc")
"""How the names of detached signatures end."""


def digests_in(text: str) -> dict[str, str]:
    """The digests of a list, as ``sha256:hex`` or ``sha512:hex``, by the names of the files without their
    folders. Pure.
    """
    return {
        name.strip().rpartition("/")[2]: f"{'sha256' if len(digest) == 64 else 'sha512'}:{digest.lower()}"
        for digest, name in _SUM.findall(text)
    }


def pinned_by(sums: str, release: Release, address: str, web: Web, who: str, *, signed: bool) -> Release:
    """A release with its digest, out of the list ``sums`` of its version (``{version}`` stands for that),
    relative to ``address``; with the place of the list's signature, where the feed must be ``signed``.

    Raises ``Problem`` where the list does not name the file, or is not signed and must be.
    """
    url = urljoin(address, sums.replace("{version}", release.version))
    name = unquote(release.url).rpartition("/")[2]
    listed = digests_in(web.text(url, who=who))
    if name not in listed:  # it may spell the system or the machine in another way
        name = next((each for each in listed if plain(each) == plain(name)), name)
        release = msgspec.structs.replace(release, url=urljoin(release.url, quote(name)))
    digest = listed.get(name, "")
    if not digest:
        raise Problem(f"{who} names no digest of {name}", where=url, advice="fix sums = … of the feed")
    if not signed:
        return msgspec.structs.replace(release, digest=digest)
    for ending in SIGNATURES:
        try:
            web.document(url + ending, who=who)
        except NotThere:
            continue
        return msgspec.structs.replace(release, digest=digest, signature=url + ending, sums=url)
    return msgspec.structs.replace(release, digest=digest)
