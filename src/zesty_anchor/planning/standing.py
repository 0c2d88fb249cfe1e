"""What of the manifest's wants stands on the shelf already. No feed is asked."""

from __future__ import annotations

from collections.abc import Mapping

from zesty_anchor.feeds.feed import Supply
from zesty_anchor.feeds.linked import LINKED
from zesty_anchor.feeds.supply import supplies_for
from zesty_anchor.manifest.version import Version
from zesty_anchor.manifest.want import Want
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.shelf.receipt import Receipt
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system.problem import UsageProblem

Known = Mapping[tuple[str, str, str], str]
"""The version that each (runtime, want, feed) was resolved to before."""


def with_targets(known: Known, targets: Known) -> Known:
    """What wants meant before, with other versions for some of them. Pure."""
    wants = {(runtime, want) for runtime, want, _ in targets}
    return {**{key: version for key, version in known.items() if key[:2] not in wants}, **targets}


def supplies(workstation: Workstation, name: str, machine: Machine) -> tuple[Supply, ...]:
    """Where a runtime's versions come from, in order. Raises ``UsageProblem`` where nothing says it."""
    recipe, step = workstation.recipes[name], workstation.manifest.step(name)
    try:
        return supplies_for(
            name, workstation.manifest, recipe, machine.host.platform, workstation.file.parent
        )
    except UsageProblem as problem:
        problem.where = problem.where or workstation.place(*step, "want")
        raise


def standing(workstation: Workstation, name: str, want: str, machine: Machine, known: Known) -> str | None:
    """The version on the shelf that a want means: the locked one, or the exact one, or what it meant before.

    Raises ``UsageProblem`` where the locked one stands there with other bytes than the lock says.
    """
    locked = workstation.lock.get((name, want))
    if locked is None:
        before = (known.get((name, want, each.name), "") for each in supplies(workstation, name, machine))
        return next(
            (version for version in (want, *before) if _here(workstation, name, version, machine)), None
        )
    receipt = _here(workstation, name, locked.version, machine)
    file = locked.files.get(machine.host.platform)
    there = {"": receipt.digest, **{part.name: part.digest for part in receipt.parts}} if receipt else {}
    asked = {"": file.digest, **{part.name: part.digest for part in file.parts}} if file else {}
    other = next((part for part in asked if there and asked[part] and there.get(part) != asked[part]), None)
    if other is not None:
        raise UsageProblem(
            f"{name} {locked.version}{f', its {other},' if other else ''} on the shelf has another digest"
            " than the lock",
            where=f"{there.get(other, 'none')} there, {asked[other]} in the lock",
            advice=f"if the lock is right: zesty-anchor remove {name} {locked.version}, then provision",
        )
    return locked.version if receipt is not None else None


def moved(name: str, want: str, machine: Machine, known: Known) -> str | None:
    """The version that a want meant while the runtime came another way: it is kept, where it can be."""
    before = (v for (n, w, _), v in known.items() if (n, w) == (name, want) and (n, v) in machine.shelf)
    exact = want if (name, want) in machine.shelf else None
    return exact or next(before, None)


def _here(workstation: Workstation, name: str, version: str, machine: Machine) -> Receipt | None:
    """The receipt of a version on the shelf that came the way which the manifest says: from a feed, or a
    manager, and with the companions that it wants.
    """
    receipt = machine.shelf.get((name, version))
    runtime = workstation.manifest.tools[name]
    if receipt is None or receipt.through != (runtime.through or ""):
        return None
    linked = f"{LINKED}:{runtime.system}" if runtime.system is not None and version == runtime.want else ""
    if (receipt.digest.startswith(f"{LINKED}:") and receipt.digest != linked) or (
        linked and receipt.digest != linked
    ):
        return None
    parts = {part.name: part.version for part in receipt.parts}
    fits = all(part in parts and admits(want, parts[part]) for part, want in runtime.companions.items())
    return receipt if fits else None


def admits(want: str, version: str) -> bool:
    """Whether a companion's version is what is wanted; the newest one is whatever came."""
    return want == "latest" or Want(want).admits(Version(version), ())
