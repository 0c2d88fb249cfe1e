"""Listing versions, and reading licences."""

from __future__ import annotations

import os
import time
from collections.abc import Iterable, Sequence

import msgspec

from zesty_anchor.feeds.release import Release, support_ends
from zesty_anchor.manifest.version import Version
from zesty_anchor.operations.in_step import keep_launchers
from zesty_anchor.operations.person import Person
from zesty_anchor.planning.choices import Choice, active_versions
from zesty_anchor.planning.coupling import may_run
from zesty_anchor.planning.listing import Active, Available, Installed, Listing
from zesty_anchor.planning.look import look_at
from zesty_anchor.planning.newer import LastAnswer, Newer, keep
from zesty_anchor.planning.newer_offered import changed_digest, newer_than
from zesty_anchor.planning.offers import Offers
from zesty_anchor.planning.standing import standing
from zesty_anchor.planning.support import support_of
from zesty_anchor.planning.uses import by_hand, uses
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.survey.disk_use import disk_use
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system.problem import Problem


def listings(workstation: Workstation, *, detailed: bool = False) -> list[Listing]:
    """Each runtime of the manifest, and what is installed; then the installed ones that the manifest no
    longer has. No feed is asked. With ``detailed`` the size of each version, and what needs it.
    """
    keep_launchers(workstation)
    machine = look_at(workstation)
    choices = active_versions(workstation, machine)
    found = [_listing(workstation, name, machine, choices, ()) for name in workstation.manifest.tools]
    for name in dict.fromkeys(name for name, _ in machine.shelf if name not in workstation.manifest.tools):
        found.append(Listing(name, None, _installed(machine, name), (), dropped=True))
    return [_with_details(workstation, machine, each) for each in found] if detailed else found


def listing(workstation: Workstation, person: Person, runtime: str, *, detailed: bool = False) -> Listing:
    """One runtime, with the versions that its feeds offer, newest first, and the installs that others made;
    with ``detailed`` the size of each installed version, and what needs it.
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
    listed = msgspec.structs.replace(listed, here=tuple(each for each in there[runtime] if not each.ours))
    return _with_details(workstation, machine, listed) if detailed else listed


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
            row = newer_than(name, want, here, offered)
            ends = support_ends(here, workstation.recipes[name], row.ends) if here else ""
            receipt = machine.shelf.get((name, here))
            digests = changed_digest(receipt, offered) if receipt is not None else None
            found.append(msgspec.structs.replace(row, problem=problem, ends=ends, digests=digests))
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
        installed=_installed(machine, name),
        available=tuple(
            Available(
                r.version,
                r.channels,
                r.date,
                r.feed,
                r.lacking,
                support_ends(r.version, workstation.recipes[name], r.ends),
                r.withdrawn,
            )
            for r in offered
        ),
        ends={
            version: ends
            for (runtime, version), ends in support_of(workstation, machine).items()
            if runtime == name
        },
        through=workstation.manifest.tools[name].through or "",
        manager=name in workstation.manifest.managers,
    )


def _installed(machine: Machine, name: str) -> tuple[str, ...]:
    return tuple(version for runtime, version in machine.shelf if runtime == name)


def _with_details(workstation: Workstation, machine: Machine, listed: Listing) -> Listing:
    needed, name = uses(workstation, machine), listed.runtime
    details = (
        Installed(
            version,
            disk_use(os.path.realpath(workstation.locations.shelf / name / version)),
            needed[name, version],
            by_hand(workstation, name, version),
        )
        for version in listed.installed
    )
    return msgspec.structs.replace(listed, details=tuple(details))
