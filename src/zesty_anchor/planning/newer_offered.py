"""What of a feed's offer is newer than what is installed. Pure."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from zesty_anchor.feeds.release import Release, choose
from zesty_anchor.manifest.version import Version
from zesty_anchor.manifest.want import Want
from zesty_anchor.planning.newer import Newer
from zesty_anchor.shelf.receipt import Receipt
from zesty_anchor.system.credentials import without_credentials


def newer_than(runtime: str, want: str, here: str, offered: Sequence[Release]) -> Newer:
    """What of an offer is newer than the version that is here for a want. Pure."""
    admitted = choose(Want(want), offered)
    fits = admitted.version if admitted is not None else ""
    finished = [r for r in offered if not r.withdrawn and not Version(r.version).is_prerelease]
    own = next((release for release in offered if release.version == here), None)
    is_newer = bool(fits) and (not here or Version(fits) > Version(here))
    last = max((release.version for release in finished), key=Version, default="")
    known = max((version for version in (here, fits) if version), key=Version, default="")
    return Newer(
        runtime,
        want,
        here,
        newer=fits if is_newer else "",
        beyond=last if last and known and Version(last) > Version(known) else "",
        feed=admitted.feed if admitted is not None else "",
        ends=own.ends if own is not None else "",
        withdrawn=own.withdrawn if own is not None else "",
        fixes=is_newer
        and bool(here)
        and any(r.security and Version(here) < Version(r.version) <= Version(fits) for r in offered),
        size=admitted.size if admitted is not None and is_newer else None,
    )


def changed_digest(receipt: Receipt, offered: Iterable[Release]) -> tuple[str, str] | None:
    """The digest of an installed version, and the one that its feed states now for the same file, where that
    is another one. Pure.
    """
    for release in offered:
        same = (release.version, release.feed) == (receipt.version, receipt.feed)
        if same and without_credentials(release.url) == receipt.url and release.digest and receipt.digest:
            alike = release.digest.partition(":")[0] == receipt.digest.partition(":")[0]
            return (receipt.digest, release.digest) if alike and release.digest != receipt.digest else None
    return None
