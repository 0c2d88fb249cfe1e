"""What a feed offers, and what every kind of feed can do."""

from __future__ import annotations

import msgspec

from zesty_anchor.manifest.recipe import Recipe


class Piece(msgspec.Struct, frozen=True):
    """A further file of a release: a companion, or another package of the same version. As in ``Release``."""

    name: str
    version: str
    url: str
    digest: str
    size: int | None = None


class Release(msgspec.Struct, frozen=True):
    """One version of a runtime for this platform.

    ``url`` is where its archive, or its repository, is. ``digest`` is ``sha256:hex`` or ``sha512:hex``, or
    ``commit:hex`` for a repository; empty where the feed gives none that can be trusted. ``size`` is in
    bytes. ``date`` is YYYY-MM-DD, empty where the feed does not tell. ``licence`` is the name of a licence
    that must be accepted first, and ``licence_url`` where its text is. ``signature`` is the address of a
    detached OpenPGP signature, of the archive itself or, where ``sums`` is given, of the list of digests at
    that address. ``source`` tells that it must be built first. ``parts`` are its further files. ``requires``
    are the versions of others that it says it needs, by name (``engines.node``). ``lacking`` says why this
    machine cannot have it (empty: it can). ``feed`` is the name of the feed that offers it. ``ends`` is the
    day (YYYY-MM-DD) after which nobody fixes it any more, empty where the feed does not tell.
    """

    version: str
    url: str
    digest: str
    size: int | None = None
    channels: tuple[str, ...] = ()
    date: str = ""
    licence: str = ""
    licence_url: str = ""
    signature: str = ""
    sums: str = ""
    source: bool = False
    parts: tuple[Piece, ...] = ()
    requires: dict[str, str] = {}
    lacking: str = ""
    feed: str = ""
    ends: str = ""


def channels_of(version: str, recipe: Recipe) -> tuple[str, ...]:
    """The channels that a recipe says a version belongs to. Pure."""
    return tuple(
        channel
        for channel, lines in recipe.channels.items()
        if any(version == line or version.startswith(line + ".") for line in lines)
    )
