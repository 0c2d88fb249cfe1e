"""Versions as a person reads them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from zesty_anchor.planning.support import support_text
from zesty_anchor.planning.version_lines import by_line
from zesty_anchor.show.columns import columns
from zesty_anchor.show.paint import Paint
from zesty_anchor.show.sizes import amount, count

if TYPE_CHECKING:
    from zesty_anchor.planning.listing import Available, Listing, RuntimeKnown
    from zesty_anchor.planning.newer import Newer
    from zesty_anchor.survey.installs_there import InstallThere


def runtimes(paint: Paint, listed: list[Listing], others: Sequence[str], today: str) -> None:
    """All runtimes, a line each, and the names of ``others`` that have a recipe. ``today`` is YYYY-MM-DD."""
    rows = []
    for each in listed:
        effect = each.active
        beside = [v for v in each.installed if effect is None or v != effect.version]
        rows.append(
            [
                paint.name(each.runtime),
                paint.good(effect.version) if effect else paint.look(_absent(each)),
                f"{effect.scope}, by {effect.decided_by}" if effect else "",
                "; ".join([*_more(each, beside), *_unsupported(paint, each, today)]),
            ]
        )
    columns(paint, rows, [10, 10], indent=0)
    for each in listed:
        if each.details:
            paint.write(paint.head(each.runtime))
            _details(paint, each)
    if others:
        paint.write(
            paint.faint(f"Other runtimes with a recipe (zesty-anchor list NAME): {', '.join(others)}")
        )
    for what, command, some in (
        ("free the disk of what is not in the manifest", "prune", any(each.dropped for each in listed)),
        ("install", "provision", any(not each.active and not each.dropped for each in listed)),
    ):
        if some:
            paint.write(f"To {what}: {paint.name(f'zesty-anchor {command}')}")


def _absent(listed: Listing) -> str:
    return "not in the manifest" if listed.dropped else "not installed"


def _details(paint: Paint, listed: Listing) -> None:
    """A row for each installed version: its size, what needs it, and the packages that the person added."""
    rows = []
    for each in listed.details:
        added = f"; you installed {', '.join(p.text for p in each.packages)}" if each.packages else ""
        needed = ", ".join(each.needed) or paint.look("not needed")
        rows.append([paint.name(each.version), amount(each.size), f"{needed}{added}"])
    columns(paint, rows, [10, 8])


def _unsupported(paint: Paint, listed: Listing, today: str) -> list[str]:
    ended = {version: ends for version, ends in listed.ends.items() if ends < today}
    if listed.active is not None and listed.active.version in ended:
        first = ended.pop(listed.active.version)
        return [paint.look(support_text(first, today))]
    return [paint.look(f"{version} {support_text(ends, today)}") for version, ends in ended.items()]


def newer(paint: Paint, found: Sequence[Newer], today: str) -> None:
    """How many have a newer version, then a line for each want: what is here, what is newer, and when support
    ends. ``today`` is YYYY-MM-DD.
    """
    if not found:
        paint.write(f"No version is installed yet. To install: {paint.name('zesty-anchor provision')}")
        return
    behind = sum(bool(each.newer and each.version) for each in found)
    parts = [paint.look(f"{count(behind, 'newer version')} within your wants")] if behind else []
    parts = parts or ["Nothing newer within your wants"]
    if absent := [each for each in found if not each.version]:
        parts.append(f"{len(absent)} not installed (to install: {paint.name('zesty-anchor provision')})")
    if any(each.problem for each in found):
        parts.append(paint.bad("a feed could not be asked"))
    paint.write(f"{'; '.join(parts)}.")
    rows = [
        [
            paint.name(each.runtime),
            each.want,
            each.version or paint.look("not installed"),
            paint.look(each.newer) if each.newer else "" if each.problem else paint.good("none"),
            each.beyond,
            paint.bad(each.problem) if each.problem else ", ".join(_why(paint, each, today)),
        ]
        for each in found
    ]
    heads = ("runtime", "want", "installed", "newer", "outside your range", "")
    columns(paint, rows, [10, 8, 10, 8], heads=heads)


def newer_next(
    paint: Paint, found: Sequence[Newer], *, further: bool = False, pinned: Sequence[str] = ()
) -> None:
    """What to type for them, last. ``further`` tells that those beyond the wants were shown, ``pinned`` are
    runtimes of which pins admit newer versions.
    """
    if any(each.beyond for each in found) and not further:
        paint.write(paint.faint("For those outside your range: zesty-anchor upgrade --list --beyond"))
    names = [each.runtime for each in found if each.newer and each.version]
    words = [*dict.fromkeys((*names, *pinned)), *(["--projects"] if pinned else [])]
    if words:
        paint.write(f"To upgrade: {paint.name(' '.join(('zesty-anchor upgrade', *words)))}")


def _why(paint: Paint, row: Newer, today: str) -> list[str]:
    """Why to move now: withdrawn, without support, or a fix of a weakness; else until when it is
    supported.
    """
    parts = [paint.bad(f"withdrawn: {row.withdrawn}")] if row.withdrawn else []
    if row.digests is not None:
        was, now = (each[:_SHORT] + "…" for each in row.digests)
        parts.append(paint.bad(f"its digest changed upstream: {was} was installed, {now} now"))
    if row.ends:
        text = support_text(row.ends, today)
        parts.append(paint.bad(text) if row.ends < today else text)
    parts += [paint.look("has a security fix")] if row.fixes else []
    return [*parts, *([f"{amount(row.size)} to fetch"] if row.newer and row.size else [])]


def recipes(paint: Paint, listed: Sequence[RuntimeKnown]) -> None:
    """The runtimes that can be had, a line each, and what is here of them."""
    rows = [
        [
            paint.name(each.runtime),
            each.title,
            paint.faint(f"from {', '.join(each.sources) or 'a feed that you name'}"),
            paint.good(_here(each.here)),
        ]
        for each in listed
    ]
    columns(paint, rows, [10, 10], indent=0)
    paint.write()
    paint.write(
        f"Versions: {paint.name('zesty-anchor list node')}   A manifest for some:"
        f" {paint.name('zesty-anchor draft node java')}"
    )


def _here(installs: Sequence[InstallThere]) -> str:
    """The first of them, and how many there are more."""
    if not installs:
        return ""
    first, more = installs[0], len(installs) - 1
    words = f"{first.version} in {first.path}" if first.version else first.path
    return f"here: {words}, of {short_owner(first.owner)}" + (f", and {more} more" if more else "")


def installs(paint: Paint, found: Sequence[InstallThere]) -> None:
    """A line each: its version, where it is, and whose."""
    rows = [
        [
            paint.good(each.version or "unknown"),
            paint.name(each.path),
            paint.faint(f"of {short_owner(each.owner)}"),
        ]
        for each in found
    ]
    columns(paint, rows, [10])


def short_owner(owner: str) -> str:
    """Whose it is in the end, where something stands in between: what "of" is said before."""
    if owner == "unknown":
        return "unknown origin"
    return owner.rpartition(" of ")[2] if " of Debian package" in owner else owner


def _more(listed: Listing, others: list[str]) -> list[str]:
    parts = [f"through {listed.through}"] if listed.through else ["a manager"] if listed.manager else []
    return parts + ([f"also installed: {', '.join(others)}"] if others else [])


_SHORT = 15
"""As much of a digest is shown as tells two apart."""
_MANY = 40
"""More versions than this are grouped by line."""


def runtime(paint: Paint, listed: Listing, only: str, today: str, *, each: bool = False) -> None:
    """One runtime: what is available, installed, and active. ``today`` is YYYY-MM-DD."""
    effect = listed.active
    if effect:
        decided = f"{effect.scope}, by {effect.decided_by}"
        own = next((each for each in listed.here if not each.path.startswith("~/")), None)
        more = (
            f" ({own.version or 'version not known'}, {own.path})"
            if effect.version == "system" and own
            else ""
        )
        version = f"{paint.good(effect.version)}{more}"
        paint.write(f"{paint.name(listed.runtime)}  {version} is active: {decided}")
    else:
        paint.write(f"{paint.name(listed.runtime)}  {paint.look('no active version')}")
    if listed.details and not only:
        paint.write(paint.head("Installed"))
        _details(paint, listed)
    if listed.here and not only:
        paint.write(
            paint.head("Other installations")
            + paint.faint(' (to use one: want = "system", system = "FOLDER")')
        )
        installs(paint, listed.here)
    if (listed.here or listed.details) and not only:
        paint.write(paint.head("Available"))
    shown = [r for r in listed.available if not only or only in r.channels or _begins(r.version, only)]
    rows = (
        [_row(paint, listed, r, today) for r in shown]
        if each or len(shown) <= _MANY
        else _grouped(paint, listed, shown, today)
    )
    columns(paint, rows, [12, 10, 10])
    if not rows:
        paint.write(
            f"No version or channel matches '{only}'. All of them: zesty-anchor list {listed.runtime}"
            if only
            else "The feed has no version for this machine."
        )
    elif len(rows) < len(shown):
        paint.write(
            paint.faint(
                f"{len(shown)} versions; the newest of each line is shown. All of one line: zesty-anchor"
                f" list {listed.runtime} LINE"
            )
        )
    if listed.installed and rows:
        paint.write(f"To choose one: {paint.name(f'zesty-anchor switch {listed.runtime}')}")


def _row(paint: Paint, listed: Listing, release: Available, today: str) -> list[str]:
    return [
        release.version,
        paint.faint(release.date),
        ", ".join(release.channels),
        _state(paint, listed, [release], today),
    ]


def _grouped(paint: Paint, listed: Listing, releases: list[Available], today: str) -> list[list[str]]:
    """A row for each line of versions: by the first number, or by the first two where those are few."""
    offered = {release.version: release for release in releases}
    groups = {line: [offered[each] for each in names] for line, names in by_line(offered).items()}
    rows = []
    for line, group in groups.items():
        newest = group[0]
        more = paint.faint(f"and {len(group) - 1} more of {line}") if len(group) > 1 else ""
        channels = ", ".join(dict.fromkeys(c for release in group for c in release.channels))
        state = _state(paint, listed, group, today)
        rows.append([newest.version, paint.faint(newest.date), channels, more, state])
    return rows


def _state(paint: Paint, listed: Listing, releases: list[Available], today: str) -> str:
    versions = [release.version for release in releases]
    effect = listed.active.version if listed.active else ""
    parts = [paint.good("active" if len(versions) == 1 else f"{effect} active")] if effect in versions else []
    for version in listed.installed:
        if version in versions and version != effect:
            parts.append(paint.good("installed" if len(versions) == 1 else f"{version} installed"))
    if len(releases) == 1 and releases[0].lacking:
        parts.append(paint.look(releases[0].lacking))
    if len(releases) == 1 and releases[0].withdrawn:
        parts.append(paint.bad(f"withdrawn: {releases[0].withdrawn}"))
    if ends := releases[0].ends:
        parts.append(paint.faint(support_text(ends, today)))
    if len({release.feed for release in listed.available}) > 1:
        parts.append(paint.faint(f"from {' and '.join(dict.fromkeys(release.feed for release in releases))}"))
    return ", ".join(parts)


def _begins(version: str, line: str) -> bool:
    return version == line or (version.startswith(line) and not version[len(line)].isdigit())
