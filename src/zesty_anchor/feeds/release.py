"""What a feed offers, and what every kind of feed can do."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec

from zesty_anchor.manifest.recipe import Recipe, line_of_version
from zesty_anchor.manifest.want import Want


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
    last day of its support (YYYY-MM-DD, empty where the feed does not tell). ``withdrawn`` is why those who
    published it took it back (empty: they did not), ``security`` tells that it fixes a weakness.
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
    withdrawn: str = ""
    security: bool = False


def choose(want: Want, offered: Sequence[Release]) -> Release | None:
    """The release to take for a want: the exact one, else the newest that is admitted and not withdrawn. A
    withdrawn one is taken where a line is asked for that has no other (as PEP 592 has it for what is pinned).
    Pure.
    """
    exact = next((release for release in offered if release.version == want.text), None)
    if exact is not None:
        return exact
    chosen = want.choose([release for release in offered if not release.withdrawn])
    return want.choose(offered) if chosen is None and want.kind == "line" else chosen


def withdrawn_because(stated: object, otherwise: str = "withdrawn") -> str:
    """Why something was withdrawn; empty: it was not. A feed states a text, or only that it was (PEP 592; npm
    documentation, "npm-deprecate"), which gives the text ``otherwise``. Pure.
    """
    return stated if isinstance(stated, str) else otherwise if stated else ""


def support_ends(version: str, recipe: Recipe, stated: str = "") -> str:
    """The last day of a version's support (YYYY-MM-DD, empty: not known): what the feed ``stated``, else what
    the recipe says of its line, the longest that fits. Pure.
    """
    return stated or recipe.support.get(line_of_version(version, recipe.support) or "", "")


def channels_of(version: str, recipe: Recipe) -> tuple[str, ...]:
    """The channels that a recipe says a version belongs to. Pure."""
    return tuple(
        channel for channel, lines in recipe.channels.items() if line_of_version(version, lines) is not None
    )
