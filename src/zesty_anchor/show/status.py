"""The state of this home, one line each."""

from __future__ import annotations

import datetime
from collections.abc import Iterator

from zesty_anchor.planning.newer import Newer
from zesty_anchor.planning.status import Status
from zesty_anchor.proof.verified import PROVISION
from zesty_anchor.show.paint import Paint
from zesty_anchor.show.sizes import amount, count, since

_LITTLE = 1_000_000_000
"""Bytes of free space that are worth a line."""
_MOST = 4
_NEXT = {"ok": "", "pending": PROVISION, "changed": PROVISION, "failing": "zesty-anchor verify"}


def status(paint: Paint, seen: Status, *, quiet: bool = False) -> None:
    """The verdict, what is installed, a line for each thing that needs attention, and the command to type
    next. With ``quiet`` without the verdict and what is installed.
    """
    needs = list(_needs(paint, seen))
    if not quiet:
        paint.write(_verdict(paint, seen))
        for head, what in _installed(paint, seen):
            paint.write(f"  {paint.faint(f'{head:<11}')}{what}")
    for head, what in needs:
        paint.write(f"  {paint.faint(f'{head:<11}')}{what}")
    first = "zesty-anchor preview" if seen.manifest else "zesty-anchor draft"
    following = _NEXT[seen.state] if seen.run else first
    if following:
        paint.write(f"Next: {paint.name(following)}")


def _verdict(paint: Paint, seen: Status) -> str:
    if not seen.run:
        return paint.look("Nothing was provisioned in this home yet.")
    run = f"run {seen.run}, {since(seen.at)}"
    return {
        "ok": f"{paint.good('Unchanged since provisioning')}: {seen.manifest} ({run}).",
        "pending": f"{paint.look('Changes pending')}: {seen.manifest} ({run}).",
        "changed": f"{paint.look('Changed since provisioning')}: {seen.manifest} ({run}).",
        "failing": f"{paint.bad('Checks failed')} in the last verification ({run}).",
    }[seen.state]


def _installed(paint: Paint, seen: Status) -> Iterator[tuple[str, str]]:
    if seen.versions:
        yield (
            "installed",
            ", ".join(f"{paint.name(name)} {version}" for name, version in seen.versions.items()),
        )
    if seen.verified_at:
        yield "verified", f"{since(seen.verified_at)}, in {', '.join(seen.shells)}"
    elif seen.run:
        yield "verified", "never: zesty-anchor verify"


def _needs(paint: Paint, seen: Status) -> Iterator[tuple[str, str]]:
    for word, texts in (
        ("failed", seen.failing),
        ("changed", tuple(f"{each.place}: {each.what}" for each in seen.changed)),
        ("pending", seen.pending if seen.run else ()),
        ("newer", tuple(_newer(seen.newer))),
    ):
        for text in texts[:_MOST]:
            yield word, text
        if len(texts) > _MOST:
            yield word, f"and {count(len(texts) - _MOST, 'other')}"
    today = datetime.date.today().isoformat()
    for row in seen.newer:
        if row.ends and row.ends < today:
            yield "support", paint.look(f"{row.runtime} {row.version}: not supported since {row.ends}")
        if row.withdrawn:
            yield "withdrawn", paint.look(f"{row.runtime} {row.version}: {row.withdrawn}")
    if seen.free < _LITTLE:
        yield "disk", paint.look(f"{amount(seen.free)} free")


def _newer(rows: tuple[Newer, ...]) -> Iterator[str]:
    behind = {row.runtime: row for row in rows if row.newer}
    for row in behind.values():
        yield f"{row.runtime} {row.newer} (zesty-anchor upgrade {row.runtime})"
