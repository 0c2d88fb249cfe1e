"""What stands otherwise than the manifest says: asked for and not provisioned yet, or altered by somebody
since.
"""

from __future__ import annotations

from pathlib import Path

import msgspec

from zesty_anchor.changes.base import FileChange
from zesty_anchor.changes.change import Change
from zesty_anchor.changes.kinds import KINDS
from zesty_anchor.changes.shells.launcher_set import WriteLaunchers
from zesty_anchor.engine.journal import Journal
from zesty_anchor.engine.opening import read_journal
from zesty_anchor.files.digest import digest_of
from zesty_anchor.planning.plan import Plan
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.proof.verified import Drift
from zesty_anchor.shells.reading import MARK


def drift_of(workstation: Workstation, plan: Plan, *, deep: bool = False) -> tuple[Drift, ...]:
    """Every difference between what stands and what the plan's manifest says; ``deep`` tells that each file
    was read.
    """
    if not plan.changes and not plan.missing:
        return ()
    found = [
        Drift(
            "version",
            f"{each.runtime} {each.want}",
            "install",
            "pending",
            f"{each.runtime} {each.want} is asked for, and not installed",
            workstation.locations.shown(each.place),
        )
        for each in plan.missing
    ]
    changes = [change for change in plan.changes if not _is_by_hand(change)]
    with read_journal(workstation.locations, KINDS) as journal:
        found += [_drift(change, plan, journal, workstation) for change in changes]
    if deep:
        found = [
            msgspec.structs.replace(each, fix=f"{each.fix} --deep") if each.kind == "version" else each
            for each in found
        ]
    return tuple(found)


def without_launcher(plan: Plan) -> str:
    """A note on the commands that the person put into a version, and that have no launcher yet; empty where
    there are none. Pure.
    """
    names = [name for each in plan.changes if isinstance(each, WriteLaunchers) for name in each.added]
    if not names:
        return ""
    verb = "have no launchers" if len(names) > 1 else "has no launcher"
    return f"{', '.join(names)} {verb} yet, for editors, cron and make: zesty-anchor provision"


def _is_by_hand(change: Change) -> bool:
    """Whether it is only about commands that the person put into a version: nothing of ours has changed."""
    return isinstance(change, WriteLaunchers) and set(change.planned) == set(change.added)


def _drift(change: Change, plan: Plan, journal: Journal, workstation: Workstation) -> Drift:
    place = workstation.locations.shown(workstation.file)
    what = f"asked for, and not done: {change.action} {change.subject}"
    altered = journal.did(change.kind, change.subject)
    if isinstance(change, FileChange):
        place, file = change.name, change.edit.file
        wrote = journal.wrote(str(file.target)) | journal.wrote(str(file.path))
        altered = bool(wrote) and (file.content is None or digest_of(file.content) not in wrote)
        if altered:
            what = "is gone" if file.content is None else KINDS[change.kind].when_changed
            if change.kind == "startup-file" and MARK.encode() in (file.content or b""):
                what = "our line in it was changed, or is where it is never read"
    elif change.kind == "version":
        version = next(
            (v for v in plan.wanted.versions if f"{v.runtime} {v.version}" == change.subject), None
        )
        altered = version is not None and bool(version.damage)
        if version is not None and altered:
            first = version.damage[0]
            place, what = workstation.locations.shown(version.folder / first.name), change.detail
    elif change.kind == "launchers":
        altered = altered and not any(KINDS[each.kind].heading.summary == "new" for each in plan.changes)
        if altered:
            place, what = (
                change.subject,
                f"not as they were written, or missing: {change.detail.partition(':')[0]}",
            )
    elif altered:
        what = f"was there, and is not any more: {change.subject}"
    shown = workstation.locations.shown(Path(place)) if place.startswith("/") else place
    return Drift(change.kind, change.subject, change.action, "changed" if altered else "pending", what, shown)
