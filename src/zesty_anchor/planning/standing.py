"""What of the manifest's wants stands on the shelf already. No feed is asked."""

from __future__ import annotations

from collections.abc import Mapping

from zesty_anchor.feeds.supply import Supply, supply_for
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.shelf.receipt import Receipt
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system.problem import UsageProblem

Known = Mapping[tuple[str, str, str], str]
"""The version that each (runtime, want, feed) was resolved to before."""


def supply(workstation: Workstation, name: str, machine: Machine) -> Supply:
    """Where a runtime's versions come from. Raises ``UsageProblem`` where the manifest does not say."""
    recipe = workstation.recipes[name]
    return supply_for(name, workstation.manifest, recipe, machine.host.platform, workstation.file.parent)


def standing(workstation: Workstation, name: str, want: str, machine: Machine, known: Known) -> str | None:
    """The version on the shelf that a want means: the locked one, or the exact one, or what it meant before.

    Raises ``UsageProblem`` where the locked one stands there with other bytes than the lock says.
    """
    locked = workstation.lock.get((name, want))
    if locked is None:
        meant = (want, known.get((name, want, supply(workstation, name, machine).name), ""))
        return next((version for version in meant if _here(workstation, name, version, machine)), None)
    receipt = _here(workstation, name, locked.version, machine)
    file = locked.files.get(machine.host.platform)
    if receipt is not None and file is not None and file.digest and receipt.digest != file.digest:
        raise UsageProblem(
            f"{name} {locked.version} on the shelf has another digest than the lock",
            where=f"{receipt.digest} there, {file.digest} in the lock",
            advice=f"if the lock is right: zesty-anchor remove {name} {locked.version}, then provision",
        )
    return locked.version if receipt is not None else None


def moved(name: str, want: str, machine: Machine, known: Known) -> str | None:
    """The version that a want meant while the runtime came another way: it is kept, where it can be."""
    before = (v for (n, w, _), v in known.items() if (n, w) == (name, want) and (n, v) in machine.shelf)
    exact = want if (name, want) in machine.shelf else None
    return exact or next(before, None)


def _here(workstation: Workstation, name: str, version: str, machine: Machine) -> Receipt | None:
    """The receipt of a version on the shelf that came the way which the manifest says: from a feed, or a manager."""
    receipt = machine.shelf.get((name, version))
    through = workstation.manifest.tools[name].through or ""
    return receipt if receipt and receipt.through == through else None
