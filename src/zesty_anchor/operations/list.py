"""Listing versions, and reading licences."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from zesty_anchor.feeds.release import Release
from zesty_anchor.manifest.version import Version
from zesty_anchor.operations.in_step import keep_launchers
from zesty_anchor.operations.person import Person
from zesty_anchor.planning.choices import Choice, in_effect
from zesty_anchor.planning.listing import Listing
from zesty_anchor.planning.look import look_at
from zesty_anchor.planning.offers import Offers
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.survey.machine import Machine


def listings(workstation: Workstation) -> list[Listing]:
    """Each runtime of the manifest, and what is on the shelf. No feed is asked."""
    keep_launchers(workstation)
    machine = look_at(workstation)
    choices = in_effect(workstation, machine)
    return [_listing(workstation, name, machine, choices, ()) for name in workstation.manifest.tools]


def listing(workstation: Workstation, person: Person, runtime: str) -> Listing:
    """One runtime, with the versions that its feed offers, newest first."""
    workstation.check_runtime(runtime)
    keep_launchers(workstation)
    machine, offers = look_at(workstation), Offers(workstation)
    offered = offers.releases(runtime, machine)
    for notice in offers.notices():
        person.reporter.said(notice)
    newest_first = sorted(offered, key=lambda release: Version(release.version), reverse=True)
    return _listing(workstation, runtime, machine, in_effect(workstation, machine), newest_first)


def licence(workstation: Workstation, runtime: str) -> str:
    """The text of the licence that the version comes under which would be taken. Raises ``Problem``."""
    workstation.check_runtime(runtime)
    return Offers(workstation).licence_text(runtime, look_at(workstation))


def _listing(
    workstation: Workstation, name: str, machine: Machine, choices: Iterable[Choice], offered: Sequence[Release]
) -> Listing:
    choice = next(choice for choice in choices if choice.runtime == name)
    effect = {"version": choice.version, "scope": choice.scope, "decided_by": choice.decided_by}
    return Listing(
        runtime=name,
        in_effect=effect if choice.version else None,
        installed=tuple(version for runtime, version in machine.shelf if runtime == name),
        obtainable=tuple(
            {"version": r.version, "channels": r.channels, "date": r.date, "feed": r.feed, "lacking": r.lacking}
            for r in offered
        ),
        through=workstation.manifest.tools[name].through or "",
        manager=name in workstation.manifest.managers,
    )
