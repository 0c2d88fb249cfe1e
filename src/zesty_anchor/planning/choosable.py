"""The versions that a person may choose from, the likeliest first."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

import msgspec

from zesty_anchor.manifest.version import Version
from zesty_anchor.planning.listing import Available, Listing
from zesty_anchor.planning.support import support_text
from zesty_anchor.planning.version_lines import by_line


class Choosable(msgspec.Struct, frozen=True):
    """One version, with what is said of it. ``first`` tells that it is shown before anything is typed: it is
    installed, the newest of a channel, or the newest of its line.
    """

    version: str
    notes: tuple[str, ...]
    first: bool


def choosable(listed: Listing, today: str) -> list[Choosable]:
    """The versions of a runtime that this machine can have: the active one, the other installed ones, the
    newest of each channel, then all others, the newest first. ``today`` is YYYY-MM-DD. Pure.
    """
    active = listed.active.version if listed.active is not None else ""
    offered = {each.version: each for each in listed.available if not each.lacking}
    installed = [version for version in listed.installed if version != active]
    channels = _newest_of_channels(offered.values())
    ordered = dict.fromkeys([active, *installed, *channels, *offered])
    finished = [version for version in offered if not Version(version).is_prerelease]
    newest_of_lines = {versions[0] for versions in by_line(finished).values()}
    return [
        Choosable(
            version,
            tuple(_notes(version, active, listed, offered.get(version), channels, today)),
            version == active or version in (*installed, *channels) or version in newest_of_lines,
        )
        for version in ordered
        if version in offered or version in listed.installed
    ]


def matching(rows: Sequence[Choosable], typed: str) -> list[Choosable]:
    """Those to show for what was typed: nothing typed, the likeliest; else each that begins with it, then
    each that has it somewhere. Pure.
    """
    text = typed.strip().lower()
    if not text:
        return [row for row in rows if row.first]
    begin = [row for row in rows if row.version.lower().startswith(text)]
    inside = [
        row for row in rows if row not in begin and text in f"{row.version} {' '.join(row.notes)}".lower()
    ]
    return [*begin, *inside]


def _newest_of_channels(offered: Iterable[Available]) -> list[str]:
    found: dict[str, str] = {}
    for each in offered:
        for channel in each.channels:
            found.setdefault(channel, each.version)
    return list(dict.fromkeys(found.values()))


def _notes(
    version: str, active: str, listed: Listing, offer: Available | None, channels: Sequence[str], today: str
) -> Iterator[str]:
    if version == active:
        yield "active"
    elif version in listed.installed:
        yield "installed"
    if offer is None:
        return
    if version in channels:
        yield from offer.channels
    if Version(version).is_prerelease:
        yield "pre-release"
    if offer.withdrawn:
        yield f"withdrawn: {offer.withdrawn}"
    if offer.ends:
        yield support_text(offer.ends, today)
