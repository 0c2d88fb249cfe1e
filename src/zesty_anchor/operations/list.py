"""Listing versions, and reading licences."""

from __future__ import annotations

import time
from collections.abc import Iterable, Sequence

import msgspec

from zesty_anchor.feeds.release import Release
from zesty_anchor.manifest.version import Version
from zesty_anchor.manifest.want import Want
from zesty_anchor.operations.in_step import keep_launchers
from zesty_anchor.operations.person import Person
from zesty_anchor.planning.choices import Choice, active_versions
from zesty_anchor.planning.coupling import may_run
from zesty_anchor.planning.listing import Active, Available, Listing
from zesty_anchor.planning.look import look_at
from zesty_anchor.planning.newer import LastAnswer, Newer, keep
from zesty_anchor.planning.offers import Offers
from zesty_anchor.planning.standing import standing
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system.problem import Problem


def listings(workstation: Workstation) -> list[Listing]:
    """Each runtime of the manifest, and what is on the shelf. No feed is asked."""
    keep_launchers(workstation)
    machine = look_at(workstation)
    choices = active_versions(workstation, machine)
    return [_listing(workstation, name, machine, choices, ()) for name in workstation.manifest.tools]


def listing(workstation: Workstation, person: Person, runtime: str) -> Listing:
    """One runtime, with the versions that its feed offers, newest first, and the installs that others
    made.
    """
    from zesty_anchor.survey.installs_there import installs_there
    from zesty_anchor.survey.owner import Owners

    workstation.check_runtime(runtime)
    keep_launchers(workstation)
    machine, offers = look_at(workstation), Offers(workstation)
    offered = offers.releases(runtime, machine)
    for notice in offers.notices():
        person.reporter.said(notice)
    newest_first = sorted(offered, key=lambda release: Version(release.version), reverse=True)
    there = installs_there(
        {runtime: workstation.recipes[runtime]}, machine, Owners(machine), workstation.environ.get("PATH", "")
    )
    listed = _listing(workstation, runtime, machine, active_versions(workstation, machine), newest_first)
    return msgspec.structs.replace(listed, here=tuple(each for each in there[runtime] if not each.ours))


def newer(workstation: Workstation, person: Person) -> list[Newer]:
    """For each want of the manifest what its feeds have that is newer than what stands. A feed that fails is
    told with its runtime.
    """
    machine, offers = look_at(workstation), Offers(workstation)
    found = []
    for name, tool in workstation.manifest.tools.items():
        wants = [want for want in (tool.want, *tool.also) if want != "system"]
        try:
            coupled = workstation.recipes[name].on
            below = _default(workstation, machine, coupled.runtime) if coupled is not None else []
            offered = [
                release
                for release in (offers.releases(name, machine) if wants else ())
                if not release.lacking and may_run(coupled, release.version, below)
            ]
            problem = ""
        except Problem as failed:
            offered, problem = [], str(failed)
        for want in wants:
            here = standing(workstation, name, want, machine, workstation.past.resolutions) or ""
            found.append(msgspec.structs.replace(newer_than(name, want, here, offered), problem=problem))
    for notice in offers.notices():
        person.reporter.said(notice)
    if workstation.file == workstation.past.manifest:
        keep(workstation.locations.state, LastAnswer(time.time(), tuple(found)))
    return found


def _default(workstation: Workstation, machine: Machine, runtime: str) -> list[str]:
    """The installed versions of a runtime that the manifest wants."""
    tool = workstation.manifest.tools.get(runtime)
    wants = (tool.want, *tool.also) if tool is not None else ()
    found = (standing(workstation, runtime, want, machine, workstation.past.resolutions) for want in wants)
    return [version for version in found if version is not None]


def newer_than(runtime: str, want: str, here: str, offered: Sequence[Release]) -> Newer:
    """What of an offer is newer than the version that is here for a want. Pure."""
    admitted = Want(want).choose(offered)
    fits = admitted.version if admitted is not None else ""
    finished = [release for release in offered if not Version(release.version).is_prerelease]
    last = max((release.version for release in finished), key=Version, default="")
    known = max((version for version in (here, fits) if version), key=Version, default="")
    return Newer(
        runtime,
        want,
        here,
        newer=fits if fits and (not here or Version(fits) > Version(here)) else "",
        beyond=last if last and known and Version(last) > Version(known) else "",
        feed=admitted.feed if admitted is not None else "",
        ends=next((release.ends for release in offered if release.version == here), ""),
    )


def licence(workstation: Workstation, runtime: str) -> str:
    """The text of the licence that the version comes under which would be taken. Raises ``Problem``."""
    workstation.check_runtime(runtime)
    return Offers(workstation).licence_text(runtime, look_at(workstation))


def _listing(
    workstation: Workstation,
    name: str,
    machine: Machine,
    choices: Iterable[Choice],
    offered: Sequence[Release],
) -> Listing:
    choice = next(choice for choice in choices if choice.runtime == name)
    effect = Active(choice.version, choice.scope, choice.decided_by)
    return Listing(
        runtime=name,
        active=effect if choice.version else None,
        installed=tuple(version for runtime, version in machine.shelf if runtime == name),
        available=tuple(Available(r.version, r.channels, r.date, r.feed, r.lacking, r.ends) for r in offered),
        through=workstation.manifest.tools[name].through or "",
        manager=name in workstation.manifest.managers,
    )
