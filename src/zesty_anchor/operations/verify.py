"""Asking whether the machine is as the manifest says: what was put there first, then new shells."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date

import msgspec

from zesty_anchor.changes.kinds import KINDS
from zesty_anchor.engine.home_identity import moved_from
from zesty_anchor.engine.questions import settle
from zesty_anchor.files.edit import Edit
from zesty_anchor.manifest.wanted import Wanted
from zesty_anchor.operations.agreed import agreed
from zesty_anchor.operations.drift import drift_of, without_launcher
from zesty_anchor.operations.person import Person
from zesty_anchor.operations.program_step import renewed
from zesty_anchor.planning.choices import chooser, pinned_at_home
from zesty_anchor.planning.look import look_at
from zesty_anchor.planning.offers import Offers
from zesty_anchor.planning.pinned_folders import pinned_folders
from zesty_anchor.planning.planner import Planner, as_root
from zesty_anchor.planning.support import unsupported
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.proof.baseline import compared
from zesty_anchor.proof.causes import explained
from zesty_anchor.proof.conditions import conditions_proved, still_hold
from zesty_anchor.proof.fixes import Fix, with_fixes
from zesty_anchor.proof.prove import Asking, prove
from zesty_anchor.proof.proved import last_proof, read
from zesty_anchor.proof.reasons import NOT_YET
from zesty_anchor.proof.result import Proof
from zesty_anchor.proof.verified import EXITS, Drift, Offer, State, Verified
from zesty_anchor.survey.diversions import in_files
from zesty_anchor.system.privilege import NO_ACCESS
from zesty_anchor.system.problem import UsageProblem


def still_proved(workstation: Workstation, person: Person) -> Verified | None:
    """What was proved last, where what stands is what was put there, and nothing has changed since that the
    proof hangs on; else None: then shells must be asked. Raises as ``verify`` does.
    """
    import time

    began = time.monotonic()
    if moved_from(workstation.past.home, workstation.locations):
        return None
    agreed(workstation, person)
    machine = look_at(workstation)
    last = last_proof(workstation.locations.state)
    plan = Planner(workstation, KINDS.concerned, Offers(workstation), lambda: NO_ACCESS).compare(
        machine, workstation.past.resolutions
    )
    conditions = read(workstation.locations.state).conditions
    if last is None or drift_of(workstation, plan) or not still_hold(conditions, plan.wanted, machine):
        return None
    versions = tuple(f"{each.runtime} {each.version}" for each in plan.wanted.versions)
    took = round(time.monotonic() - began, 2)
    notes = tuple(each.text for each in unsupported(workstation, machine, date.today().isoformat()))
    if notes and workstation.manifest.support.ended == "fail":
        return None
    return Verified(True, "ok", EXITS["ok"], versions, (), last.shells, took, last.at, notes=notes)


def verify(
    workstation: Workstation, person: Person, asking: Asking, *, deep: bool = False, earlier: bool = False
) -> tuple[Verified, tuple[Fix, ...]]:
    """Compare what is installed with what was put there (``deep``: each file of each version is read), then
    ask new shells. Returns what was found, and the edits of the person's files that were tried and help; with
    ``earlier`` also for what failed before provisioning.
    """
    import time

    began = time.monotonic()
    if before := moved_from(workstation.past.home, workstation.locations):
        person.reporter.warned(
            f"this home was {before} when it was provisioned: to update its files, run zesty-anchor provision"
        )
    agreed(workstation, person)
    machine = look_at(workstation)
    planner = Planner(workstation, KINDS.concerned, Offers(workstation), lambda: NO_ACCESS, deep=deep)
    plan = planner.compare(machine, workstation.past.resolutions)
    if renewed(workstation, person, plan):
        machine = look_at(workstation)
        plan = planner.compare(machine, workstation.past.resolutions)
    settle(as_root(workstation, plan.wanted.versions), person.asker, yes=person.yes)
    drift = drift_of(workstation, plan, deep=deep)
    for pinned in pinned_at_home(workstation, machine):
        person.reporter.warned(pinned)
    choosing = chooser(workstation, machine)
    folders = pinned_folders(workstation, choosing, below=(workstation.folder / ".git").exists())
    asking = msgspec.structs.replace(asking, folders=tuple(folders))
    proof = prove(plan.wanted, machine, person.jobs, asking)
    if not proof.shells and (asking.only or asking.shells):
        raise UsageProblem(
            "no check is left: none has such a name, or no such shell is set up",
            where=" ".join((*asking.only, *asking.shells)),
            advice="zesty-anchor verify -v shows the names of all checks, and the shells",
        )
    proof = compared(proof, read(workstation.locations.state).baseline)
    proof = explained(proof, plan.wanted, machine, workstation.place, drift)
    proof, fixes = with_fixes(proof, plan.wanted, machine, person.jobs, earlier=earlier)
    notes = tuple(each.text for each in unsupported(workstation, machine, date.today().isoformat()))
    diverted = tuple(_diverted(workstation, proof))
    state = _state(drift, proof)
    if notes and workstation.manifest.support.ended == "fail":
        state = "failing"
    if not asking.only and not asking.shells:
        conditions = conditions_proved(plan.wanted, machine) if state == "ok" else {}
        read(workstation.locations.state).record(conditions, proof.shells)
    versions = tuple(f"{each.runtime} {each.version}" for each in plan.wanted.versions)
    return Verified(
        state == "ok",
        state,
        EXITS[state],
        versions,
        drift,
        proof.shells,
        round(time.monotonic() - began, 2),
        fixes=tuple(_offered(fix, workstation) for fix in fixes),
        notes=(*notes, *diverted, *filter(None, [without_launcher(plan), _not_online(plan.wanted, asking)])),
    ), fixes


def _not_online(wanted: Wanted, asking: Asking) -> str:
    """A note on the runtimes that ``--online`` has no command for; empty where there are none. Pure."""
    names = [each.runtime for each in wanted.defaults if asking.online and not each.recipe.online]
    return f"not tried online, since the recipe has no online command: {', '.join(names)}" if names else ""


def _diverted(workstation: Workstation, proof: Proof) -> Iterator[str]:
    """What leads a runtime of the manifest, or its package tool, elsewhere: a sentence each."""
    shells: dict[str, dict[str, None]] = {}
    for result in proof.shells:
        for name in result.diverting:
            shells.setdefault(name, {})[result.shell] = None
    for runtime, recipe in workstation.recipes.items():
        for name, what in recipe.diverted.items():
            if name in shells:
                trace = f"zesty-anchor trace '${name}' shows the line"
                yield f"{name} is set in {', '.join(shells[name])}: {what}; {trace}"
        for each in in_files(runtime, recipe, workstation.locations):
            yield f"{each.file}:{each.line}: {each.what}"


def _offered(fix: Fix, workstation: Workstation) -> Offer:
    shown = workstation.locations.shown(fix.file.path)
    return Offer(fix.cause.place, fix.text, Edit(fix.file, fix.after).diff(shown))


def _state(drift: tuple[Drift, ...], proof: Proof) -> State:
    if any(check.cause is None or check.cause.what != NOT_YET for _, check in proof.failures):
        return "failing"
    if any(each.state == "changed" for each in drift):
        return "changed"
    return "pending" if drift else "ok"
