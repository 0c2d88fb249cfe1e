"""What a feed may offer: a version and channels that are names, at addresses of its own kind."""

from __future__ import annotations

import re
from collections.abc import Iterable
from urllib.parse import urlsplit

import msgspec

from zesty_anchor.feeds.feed import Feed
from zesty_anchor.feeds.release import Piece, Release
from zesty_anchor.manifest.version import is_version

_NAME = re.compile(r"\A[A-Za-z0-9][A-Za-z0-9.+_~-]{0,99}\Z")
"""What becomes the name of a folder and an entry of PATH."""
_PIECE = re.compile(r"\A(?:@[\w.-]{1,100}/)?[A-Za-z0-9][\w.+-]{0,150}\Z")
"""What a package may be called (package.json's "name"; Debian Policy 5.6.1)."""


def admitted(offered: Iterable[Release], kind: type[Feed]) -> tuple[list[Release], list[str]]:
    """The releases that may be taken, and of those left out each reason. Pure."""
    taken, left_out = [], []
    for release in offered:
        why = _unfit(release, kind)
        if why:
            left_out.append(why)
        elif is_version(release.version):
            channels = tuple(channel for channel in release.channels if _NAME.match(channel))
            taken.append(msgspec.structs.replace(release, channels=channels))
    return taken, left_out


_DIGEST = re.compile(r"\A(?:sha256:[0-9A-Fa-f]{64}|sha512:[0-9A-Fa-f]{128}|commit:[0-9A-Fa-f]{40,64})?\Z")


def _unfit(release: Release, kind: type[Feed]) -> str:
    if not isinstance(release.version, str) or not _NAME.match(release.version):
        return f"{str(release.version)[:40]!r} is no name of a version"
    pinned: tuple[Release | Piece, ...] = (release, *release.parts)
    for each in pinned:
        if not kind.fixed and (not isinstance(each.digest, str) or not _DIGEST.match(each.digest)):
            return f"{release.version} has {str(each.digest)[:40]!r} as its digest, which is not valid"
        if each.size is not None and (type(each.size) is not int or each.size < 0):
            return (
                f"{release.version} has {str(each.size)[:40]!r} as its size, which is not a number of bytes"
            )
        if not all(isinstance(text, str) for text in (each.url, each.version)):
            return f"{release.version} has an address that is not a string"
    pieces = [piece.url for piece in release.parts]
    for address in (release.url, release.signature, release.sums, release.licence_url, *pieces):
        if not address or not kind.schemes:
            continue
        try:
            scheme = urlsplit(address).scheme
        except ValueError:
            scheme = ""
        if scheme not in kind.schemes:
            return f"{release.version} is at {address[:60]!r}, which is no address of the web"
    return next(
        (f"{piece.name[:40]!r} is no name" for piece in release.parts if not _PIECE.match(piece.name)), ""
    )
